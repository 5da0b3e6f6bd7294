import { useEffect, useState } from 'react'
import { beatsOf, bpmText, type Found, partFacts, type Source, tempoOf } from '../../../session'
import { NumberField } from '../../fields/NumberField'
import { setHand } from '../../session/edits'
import { addTap, tappedTempo } from './tap'

/** The tempo's evidence side by side, and every way to say it better. */
export function TempoFacts({ source, found }: { source: Source; found: Found }) {
  const tempo = tempoOf(source, found)
  const candidates = found?.tempo.candidates ?? []
  const use = (bpm: number | undefined, gesture?: string) => setHand(source.id, { bpm }, gesture)
  return (
    <div className="flex flex-col gap-3">
      <div className="flex items-end gap-2">
        <NumberField
          label="Tempo by hand"
          size="large"
          unit="BPM"
          width="3.6em"
          placeholder="–"
          value={tempo.bpm}
          digits={2}
          min={10}
          max={999}
          step={1}
          onChange={use}
          onReset={() => use(undefined)}
        />
        <button
          type="button"
          className="plain-button"
          disabled={!tempo.bpm || tempo.bpm < 20}
          onClick={() => use((tempo.bpm as number) / 2)}
        >
          ÷ 2
        </button>
        <button
          type="button"
          className="plain-button"
          disabled={!tempo.bpm || tempo.bpm > 499}
          onClick={() => use((tempo.bpm as number) * 2)}
        >
          × 2
        </button>
        {tempo.by === 'hand' && (
          <button type="button" className="plain-button" onClick={() => use(undefined)}>
            As found
          </button>
        )}
      </div>
      {tempo.doubt && <p className="text-soft">To be checked: {tempo.doubt}.</p>}
      {candidates.length > 0 ? (
        <ul aria-label="Evidence of tempo" className="-mx-2">
          {candidates
            .filter(
              ({ weight, evidence }, i) =>
                i < 3 || weight > 0.005 || evidence.some((words) => words.startsWith('the file')),
            )
            .slice(0, 6)
            .map(({ bpm, weight, evidence }) => (
              <li key={bpm}>
                <button
                  type="button"
                  aria-pressed={tempo.bpm !== undefined && Math.abs(tempo.bpm - bpm) < 0.005}
                  className="grid w-full grid-cols-[64px_40px_1fr] items-baseline rounded-[4px] px-2 py-1 text-left hover:bg-rule aria-pressed:shadow-[inset_2px_0_0_var(--tide)]"
                  onClick={() => use(bpm)}
                >
                  <span className="font-[620]">{bpmText(bpm)}</span>
                  <span className="text-faint">{Math.round(100 * weight)} %</span>
                  <span className="text-[12px] text-soft">{evidence.join('; ') || 'repeats faintly'}</span>
                </button>
              </li>
            ))}
        </ul>
      ) : (
        <p className="text-soft">
          {found ? 'No tempo was found: too little in it repeats. Tap or type one.' : 'Still listening to it.'}
        </p>
      )}
      <Tap onUse={use} />
      <BySelection source={source} onUse={use} />
      <FirstBeat source={source} found={found} />
    </div>
  )
}

function Tap({ onUse }: { onUse: (bpm: number, gesture: string) => void }) {
  const [taps, setTaps] = useState<readonly number[]>([])
  const tapped = tappedTempo(taps)
  const tap = () => setTaps((before) => addTap(before, performance.now()))
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.key.toLowerCase() !== 't' || event.repeat || event.target instanceof HTMLInputElement) return
      event.preventDefault()
      // the key is the tap's while this is open: it leads to no other view
      event.stopPropagation()
      tap()
    }
    window.addEventListener('keydown', onKey, true)
    return () => window.removeEventListener('keydown', onKey, true)
  })
  return (
    <div className="flex items-center gap-2 border-t border-rule pt-2.5">
      <button
        type="button"
        className="solid-button"
        onPointerDown={tap}
        onKeyDown={(event) => event.key === 'Enter' && tap()}
      >
        Tap <span className="key !border-current !text-current">T</span>
      </button>
      {tapped ? (
        <>
          <span role="status">
            <b>{tapped.bpm.toFixed(1)}</b> BPM, {tapped.taps} taps, ± {tapped.spreadPercent.toFixed(1)} %
          </span>
          <button
            type="button"
            className="plain-button ml-auto !text-tide"
            onClick={() => onUse(Math.round(tapped.bpm * 10) / 10, 'tap')}
          >
            Use
          </button>
        </>
      ) : (
        <span className="text-faint">three times or more, in time</span>
      )}
    </div>
  )
}

/** "What is selected is four beats": the tempo follows. */
function BySelection({ source, onUse }: { source: Source; onUse: (bpm: number) => void }) {
  const [count, setCount] = useState(4)
  const facts = partFacts(source)
  const { selection } = source
  if (!facts) return null
  const seconds = ((selection ? selection.end - selection.start : facts.frames) / facts.sampleRate) as number
  const of = selection ? 'The selection' : 'All of it'
  const bpmFor = (beats: number) => (60 * beats) / seconds
  const beatsPerBar = source.hand.beatsPerBar ?? 4
  const offers = (beats: number) => beats > 0 && bpmFor(beats) >= 10 && bpmFor(beats) <= 999
  const use = (beats: number) => offers(beats) && onUse(Math.round(bpmFor(beats) * 1000) / 1000)
  return (
    <form
      className="flex items-center gap-1.5"
      onSubmit={(event) => {
        event.preventDefault()
        const typed = readCount(new FormData(event.currentTarget).get('count'))
        if (typed) use(typed.word === 'bars' ? typed.count * beatsPerBar : typed.count)
      }}
    >
      <span className="text-soft">{of} is</span>
      <input
        name="count"
        aria-label="Number of beats or bars"
        title="A number of beats, or of bars: 4, 8 bars. Enter takes it"
        className="w-[5.2em] border-b border-edge bg-transparent text-right"
        inputMode="decimal"
        autoComplete="off"
        defaultValue="4"
        onChange={(event) => setCount(readCount(event.target.value)?.count ?? 0)}
      />
      {(
        [
          ['beats', count],
          ['bars', count * beatsPerBar],
        ] as const
      ).map(([word, beats]) => (
        <button
          key={word}
          type="button"
          className="plain-button !px-1.5"
          disabled={!offers(beats)}
          title={`${bpmFor(beats).toFixed(2)} BPM`}
          onClick={() => use(beats)}
        >
          {word}
        </button>
      ))}
    </form>
  )
}

/** "4", "4 beats", "8 bars": a count and what is counted; undefined where it is none. */
function readCount(text: FormDataEntryValue | null): { count: number; word: 'beats' | 'bars' } | undefined {
  const match = /^\s*(\d+(?:[.,]\d+)?)\s*(beats?|bars?)?\s*$/i.exec(String(text ?? ''))
  const count = match ? Number((match[1] as string).replace(',', '.')) : 0
  return count > 0 ? { count, word: match?.[2]?.toLowerCase().startsWith('bar') ? 'bars' : 'beats' } : undefined
}

function FirstBeat({ source, found }: { source: Source; found: Found }) {
  const { hand } = source
  const { beatsPerBar, frames } = beatsOf(source, found)
  const rate = source.facts?.sampleRate ?? 48_000
  if (frames.length === 0) return null
  const seconds = hand.firstBeat ?? ((frames[0] as number) + (source.range?.start ?? 0)) / rate
  return (
    <div className="flex items-center gap-1.5">
      <span className="text-soft">First beat at</span>
      <NumberField
        label="First beat"
        unit="s"
        width="3.6em"
        value={seconds}
        digits={3}
        min={-60}
        max={86_400}
        step={0.001}
        onChange={(firstBeat, gesture) => setHand(source.id, { firstBeat }, gesture)}
        onReset={() => setHand(source.id, { firstBeat: undefined })}
      />
      <NumberField
        label="Beats in a bar"
        width="1.6em"
        value={beatsPerBar}
        digits={0}
        min={1}
        max={32}
        step={1}
        onChange={(beats, gesture) => setHand(source.id, { beatsPerBar: Math.round(beats) }, gesture)}
        onReset={() => setHand(source.id, { beatsPerBar: undefined })}
      />
      <span className="text-soft">in a bar</span>
    </div>
  )
}
