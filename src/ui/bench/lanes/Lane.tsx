import { memo, useEffect, useMemo, useRef } from 'react'
import { amplitudeToDb, asOutput, asSource, methodById, methodText, planOf } from '../../../core'
import { kindOf, partFacts, partKey, recipeOf, type Source, soundKey, type Variant } from '../../../session'
import { sharpCanvas } from '../../common/canvas'
import { countText, dbText, peakText, timeText } from '../../common/formats'
import { LaneBadge } from '../../common/LaneBadge'
import { laneColour } from '../../common/looks'
import { Progress } from '../../common/Progress'
import { hearLane } from '../../session/hear/listening'
import { isKnown } from '../../session/know/analyses'
import { knowledgeOf } from '../../session/know/knowledge'
import { cancelRender, renderKey, renderNow } from '../../session/render/renders'
import { type RenderState, useSession } from '../../session/state/store'
import { RIBBON_PX } from '../harm/draw'
import { HarmLine } from '../harm/HarmLine'
import { HarmRibbon } from '../harm/HarmRibbon'
import { JoinRibbon } from '../joins/JoinRibbon'
import { Spectra } from '../spectra/Spectra'
import { drawLane } from './draw'
import { LEGEND_PX, ticks, tickText, type View, xOf } from './geometry'

/** lanes at least this tall carry the seconds of the result */
const SCALE_FROM_PX = 46

interface LaneProps {
  readonly source: Source
  /** undefined = the reference */
  readonly variant: Variant | undefined
  readonly index: number
  readonly active: boolean
  readonly gain: number
  readonly view: View
  readonly widthPx: number
  readonly heightPx: number
  /** of what lies over the lanes while they scroll */
  readonly topPx: number
}

/**
 * One lane: its head (what it is, how long, how many samples, how high it peaks) and its waveform on the source's
 * time.
 */
export const Lane = memo(function Lane(props: LaneProps) {
  const { source, variant, index, active, gain, view, widthPx, heightPx, topPx } = props
  const canvas = useRef<HTMLCanvasElement>(null)
  const lane = useRef<HTMLDivElement>(null)
  // what is heard is seen, where there are more lanes than fit
  useEffect(() => {
    const { current } = lane
    const box = current?.parentElement
    if (!active || !box) return
    const top = current.offsetTop - topPx
    const bottom = current.offsetTop + heightPx + LEGEND_PX - box.clientHeight
    if (box.scrollTop > top) box.scrollTop = top
    else if (box.scrollTop < bottom) box.scrollTop = bottom
  }, [active, topPx, heightPx])
  const theme = useSession((state) => state.outlook.theme)
  const show = useSession((state) => state.outlook.display.show)
  const referenceFacts = useSession((state) => state.loads[soundKey(source)]?.facts)
  const render = useSession((state) => (variant ? state.renders[variant.id] : undefined))
  const facts = variant ? render?.facts : referenceFacts
  // one voice has one pitch to show; what a tracker makes of several would only mislead
  const pitch = useSession((state) =>
    !variant && kindOf(source, knowledgeOf(state, source)).kind === 'single line'
      ? state.analyses[partKey(source)]?.pitch
      : undefined,
  )
  const recipe = variant && recipeOf(source, variant)
  const fresh = !variant || (render?.status === 'done' && recipe && render.key === renderKey(source, recipe))
  const part = partFacts(source)
  const sampleRate = part?.sampleRate ?? 48_000
  const { frames } = part ?? {}
  const mapOf = (of: typeof recipe) => (of && frames ? planOf(of, { frames, sampleRate }).map : undefined)
  // biome-ignore lint/correctness/useExhaustiveDependencies: a map follows from these
  const planned = useMemo(() => mapOf(recipe), [recipe, frames, sampleRate])
  const drawnRecipe = variant ? (fresh ? recipe : render?.factsRecipe) : undefined
  // biome-ignore lint/correctness/useExhaustiveDependencies: a map follows from these
  const drawn = useMemo(() => mapOf(drawnRecipe), [drawnRecipe, frames, sampleRate])
  const outputFrames = planned?.outputFrames ?? part?.frames

  const drawnPx = variant ? heightPx - RIBBON_PX : heightPx

  useEffect(() => {
    const ready = sharpCanvas(canvas.current, widthPx, drawnPx)
    if (!ready || theme === undefined) return
    const { context, colour: colourOf } = ready
    const outputAt = (frame: number) => planned?.outputAt(asSource(frame)) ?? frame
    const sourceAt = (frame: number) => planned?.sourceAt(asOutput(frame)) ?? frame
    const from = outputAt(view.start) / sampleRate
    const to = outputAt(view.start + view.span) / sampleRate
    // a low lane has no room for a scale of its own
    const marks =
      variant && drawnPx >= SCALE_FROM_PX
        ? ticks(from, to, widthPx, (seconds) => xOf(view, sourceAt(seconds * sampleRate), widthPx), 74)
        : []
    const majors = marks.filter((mark) => mark.major)
    const step = majors.length > 1 ? (majors[1]?.seconds ?? 1) - (majors[0]?.seconds ?? 0) : 1
    drawLane(context, {
      view,
      widthPx,
      heightPx: drawnPx,
      overview: facts?.overview,
      outputAt: (frame) => drawn?.outputAt(asSource(frame)) ?? frame,
      colour: colourOf(laneColour(variant?.methodId).slice(4, -1)),
      stale: !fresh,
      ticks: marks,
      tickColour: colourOf('--rule'),
      labelColour: colourOf('--faint'),
      tickLabel: (tick) => tickText(tick.seconds, step),
      pitch: pitch && { ...pitch, colour: colourOf('--lane-2') },
    })
  }, [view, widthPx, drawnPx, facts, drawn, fresh, variant, theme, sampleRate, planned, pitch])

  const name = !variant
    ? 'Reference'
    : variant.joins
      ? `Joined: ${methodText(variant)}`
      : methodById(variant.methodId).label
  return (
    <div
      ref={lane}
      className="relative flex border-b border-rule"
      style={{ height: heightPx, background: active ? 'var(--deck)' : undefined }}
      data-lane={variant?.letter ?? 'reference'}
    >
      <button
        type="button"
        aria-pressed={active}
        aria-label={variant ? `Hear variant ${variant.letter}, ${name}` : 'Hear the reference'}
        className="flex w-[208px] shrink-0 flex-col justify-center gap-[3px] border-r border-rule px-4 text-left"
        style={{ boxShadow: active ? `inset 4px 0 0 ${laneColour(variant?.methodId)}` : undefined }}
        onClick={() => hearLane(index)}
      >
        <span className="flex w-full items-center gap-2">
          <LaneBadge variant={variant} hollow={!active} />
          <span className={`min-w-0 flex-1 truncate ${active ? 'font-[640]' : 'text-soft'}`} title={name}>
            {name}
          </span>
          <kbd className="key">{index}</kbd>
        </span>
        <span
          className="truncate text-[12px] text-soft"
          title={facts && fresh ? `peak ${peakText(facts.peak)}` : undefined}
        >
          {outputFrames !== undefined && `${timeText(outputFrames / sampleRate)} · ${countText(outputFrames)} samples`}
        </span>
        <span className="flex w-full items-baseline gap-2">
          {variant ? (
            <HarmLine source={source} variant={variant} />
          ) : (
            facts && <span className="caption">peak {peakText(facts.peak)}</span>
          )}
          {facts && fresh && facts.peak > 1 ? (
            <span
              className="caption ml-auto shrink-0 whitespace-nowrap !text-trouble"
              title="Over full scale: export as 32 float, or lower the source"
            >
              peak {peakText(facts.peak)}
            </span>
          ) : (
            Math.abs(gain - 1) > 1e-4 && (
              <span
                className="caption ml-auto shrink-0 whitespace-nowrap"
                title="Lowered or raised for listening, so that all lanes are as loud"
              >
                {gainText(gain)}
              </span>
            )
          )}
        </span>
      </button>
      {show === 'spectrogram' && widthPx > 0 && (
        <Spectra source={source} variant={variant} view={view} widthPx={widthPx} heightPx={drawnPx} />
      )}
      <canvas
        ref={canvas}
        role="img"
        aria-label={
          variant
            ? `Waveform of variant ${variant.letter}`
            : `Waveform of the reference${pitch ? ', with its pitch' : ''}`
        }
        className={show === 'spectrogram' ? 'hidden' : 'block'}
        style={{ width: widthPx, height: drawnPx }}
      />
      {variant?.joins && widthPx > 0 && <JoinRibbon source={source} variant={variant} view={view} widthPx={widthPx} />}
      {variant && widthPx > 0 && <HarmRibbon source={source} variant={variant} view={view} widthPx={widthPx} />}
      {variant && <RenderNote source={source} variant={variant} render={render} />}
    </div>
  )
})

function gainText(gain: number): string {
  const db = amplitudeToDb(gain)
  return `${db > 0 ? '+' : ''}${dbText(db)} dB`
}

/** How far a lane's drawing is, when it is not done. */
function RenderNote({
  source,
  variant,
  render,
}: {
  source: Source
  variant: Variant
  render: RenderState | undefined
}) {
  const analysing = useSession((state) =>
    isKnown(state, source, recipeOf(source, variant)) ? undefined : state.analysing[partKey(source)],
  )
  if (analysing !== undefined) {
    return (
      <div
        className="absolute top-1.5 right-2 z-20 flex items-center gap-2 rounded-[4px] border border-rule bg-deck px-2.5 py-1 text-[12px]"
        role="status"
      >
        Finding attacks
        <progress
          aria-label={`Rendering variant ${variant.letter}: finding attacks`}
          className="h-1.5 w-[90px]"
          max={1}
          value={analysing}
        />
      </div>
    )
  }
  if (!render || render.status === 'done') return null
  const again = (
    <button
      type="button"
      className="plain-button !h-6 font-[620] !text-tide"
      onClick={() => renderNow(source, variant)}
    >
      Render
    </button>
  )
  return (
    <div
      className="absolute top-1.5 right-2 z-20 flex items-center gap-2 rounded-[4px] border border-rule bg-deck py-0.5 pr-1 pl-2.5 text-[12px]"
      role="status"
    >
      {(render.status === 'running' || render.status === 'waiting') && (
        <Progress
          label={`Rendering variant ${variant.letter}`}
          value={render.progress}
          cancelLabel={`Cancel rendering variant ${variant.letter}`}
          onCancel={() => cancelRender(variant.id)}
        >
          {Math.round(render.progress * 100)} %
        </Progress>
      )}
      {render.status === 'cancelled' && <>Not drawn {again}</>}
      {render.status === 'held' && <>Long result: plays now, drawn on demand {again}</>}
      {render.status === 'failed' && <span className="text-trouble">Could not be rendered {again}</span>}
    </div>
  )
}
