import type { Source } from '../../session'

/** What a report is about. */

const CLIP_SECONDS = 8

/** What the clips hold: the selection, or the beginning; as much of it as a page can carry. Source frames. */
export function clipPart(source: Pick<Source, 'selection' | 'target'>, frames: number, sampleRate: number) {
  const start = source.selection?.start ?? 0
  const wanted = source.selection?.end ?? frames
  // so long that the longest result of it is bearable
  const longest = (CLIP_SECONDS * sampleRate) / Math.max(1, source.target.stretch)
  return {
    start: Math.round(start),
    end: Math.round(Math.min(frames, wanted, start + Math.max(0.25 * sampleRate, longest))),
  }
}

export function targetText({ target, timing }: Pick<Source, 'target' | 'timing'>): string {
  const moved = (timing?.placed ?? []).filter(({ source, own }) => own !== source).length
  const { stretch, pitchSemitones, formants, formantSemitones, holdPercent } = target
  const signed = (value: number) => `${value > 0 ? '+' : ''}${Number(value.toFixed(2))} st`.replace('-', '−')
  return [
    `${Number(stretch.toFixed(4))} × length`,
    `${signed(pitchSemitones)} pitch`,
    formants === 'keep' && 'formants kept',
    formants === 'shift' && `formants ${signed(formantSemitones)}`,
    holdPercent > 0 && `attacks held ${holdPercent} %`,
    moved > 0 && `${moved} ${moved === 1 ? 'attack' : 'attacks'} moved`,
    timing?.pacing && `paced as speech, ${timing.pacing.percent} %`,
    !timing?.pacing && (timing?.speedCurve?.points.length ?? 0) > 0 && 'speed drawn by hand',
  ]
    .filter(Boolean)
    .join(', ')
}
