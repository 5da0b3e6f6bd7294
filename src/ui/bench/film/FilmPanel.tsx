import { naturalRange, readingOf } from '../../../core'
import {
  fillOf,
  kindOf,
  type PictureMark,
  pictureOf,
  type Slot,
  type Source,
  secondsOf,
  slotOf,
  timedFacts,
} from '../../../session'
import { NamedPlace } from '../../common/NamedPlace'
import { Choice, type Option } from '../../fields/Choice'
import { Field } from '../../fields/Field'
import { Select } from '../../fields/Select'
import { dropMark, markHere, pausesIn, renameMark, setSlot } from '../../session/film/slots'
import { seek } from '../../session/hear/listening'
import { knowledgeOf } from '../../session/know/knowledge'
import { useSession } from '../../session/state/store'
import { rangeMeasured } from '../../session/try/sweeps'
import { PacingOffer } from '../timing/PacingOffer'
import { pictureText } from './strip'
import { useFilmTime } from './useFilmTime'

const FILLS: readonly Option<Slot['fill']>[] = [
  { value: 'free', label: 'As it is', title: 'The sound keeps the length it has' },
  { value: 'even', label: 'Evenly', title: 'All of it is stretched alike' },
  {
    value: 'pauses',
    label: 'Pauses first',
    title: 'Pauses give way first, what is said only as far as it must: the speed is drawn under Timing',
  },
]

/** The picture that a sound is fitted against: which film, from which mark to which, and how the sound fills that. */
export function FilmPanel({ source }: { readonly source: Source }) {
  const sources = useSession((state) => state.history.present.sources)
  const time = useFilmTime(source)
  const films = sources.filter(({ facts }) => facts?.picture)
  const shown = pictureOf(sources, source)
  if (films.length === 0)
    return (
      <p className="px-5 py-4 text-soft">
        No film on the shelf. Drop one anywhere in this window: its sound becomes a source, its picture is what sounds
        are fitted against.
      </p>
    )
  const film = shown?.film
  const rate = film?.facts?.picture?.rate ?? 25
  const marks = film?.marks ?? []
  const markName = ({ name, seconds }: PictureMark) => name || pictureText(seconds, rate)

  return (
    <section aria-label="Picture" className="flex gap-6 px-5 py-2.5 text-[12.5px]">
      <div className="flex min-w-0 flex-1 flex-col gap-2.5">
        <div className="flex flex-wrap items-end gap-x-5 gap-y-2">
          <Field caption="Seen with">
            <Select
              aria-label="Film"
              value={film?.id ?? ''}
              onChange={(event) => setSlot(source, event.target.value ? { film: event.target.value } : undefined)}
            >
              {!source.facts?.picture && <option value="">no picture</option>}
              {films.map(({ id, name }) => (
                <option key={id} value={id}>
                  {name}
                </option>
              ))}
            </Select>
          </Field>
          {film &&
            (['from', 'to'] as const).map((end) => (
              <Field key={end} caption={end === 'from' ? 'From' : 'To'}>
                <Select
                  aria-label={end === 'from' ? 'Slot from' : 'Slot to'}
                  value={source.slot?.[end] ?? ''}
                  onChange={(event) => setSlot(source, { [end]: event.target.value || undefined })}
                >
                  <option value="">{end === 'from' ? 'the film’s start' : 'the film’s end'}</option>
                  {marks.map((mark) => (
                    <option key={mark.id} value={mark.id}>
                      {markName(mark)}
                    </option>
                  ))}
                </Select>
              </Field>
            ))}
          {film && (
            <Field caption="Fill it">
              <Choice
                label="Fill the slot"
                options={FILLS}
                value={source.slot?.fill ?? 'free'}
                isOpen={(fill) => fill !== 'pauses' || source.slot?.fill === 'pauses' || pausesIn(source) !== undefined}
                onChange={(fill) => setSlot(source, { fill })}
              />
            </Field>
          )}
        </div>
        {film && <FillText source={source} sources={sources} />}
        {source.slot?.fill === 'even' && <PacingOffer source={source} />}
      </div>
      {film && (
        <div className="flex w-[270px] shrink-0 flex-col gap-1 border-l border-rule pl-5">
          <span className="flex items-center justify-between">
            <span className="caption">Marks on {film.name}</span>
            <button
              type="button"
              className="plain-button !h-6 !text-tide"
              title="Mark the picture at the playhead (M)"
              onClick={() => markHere(source)}
            >
              Mark here
            </button>
          </span>
          <ul aria-label="Marks" className="max-h-[120px] overflow-y-auto">
            {marks.length === 0 && (
              <li className="caption">None yet. Double-click a picture over the lanes, or press M.</li>
            )}
            {marks.map((mark) => (
              <NamedPlace
                key={mark.id}
                at={pictureText(mark.seconds, rate)}
                name={mark.name}
                says={{
                  go: `Go to mark ${markName(mark)}`,
                  name: `Name of the mark at ${pictureText(mark.seconds, rate)}`,
                  remove: `Remove mark ${markName(mark)}`,
                }}
                onGo={() => time && seek(time.frameAt(mark.seconds))}
                onName={(name) => renameMark(film, mark.id, name)}
                onRemove={() => dropMark(film, mark.id)}
              />
            ))}
          </ul>
        </div>
      )}
    </section>
  )
}

/** How long the sound is against its slot, and how far it is strained. */
function FillText({ source, sources }: { readonly source: Source; readonly sources: readonly Source[] }) {
  const found = useSession((state) => knowledgeOf(state, source))
  const measured = useSession((state) => rangeMeasured(state, source))
  const facts = timedFacts(source)
  const slot = slotOf(sources, source)
  if (!facts || !slot) return null
  const length = secondsOf(source.target, facts)
  const wanted = slot.to - slot.from
  const fill = fillOf(sources, source)
  const range = naturalRange(kindOf(source, found).kind ?? 'unsure', measured)
  const strain = fill?.words ?? source.target.stretch
  const reading = readingOf(strain, range, source.target.tied ? 0 : source.target.pitchSemitones)
  const gap = wanted - length
  const lies =
    Math.abs(gap) < 0.5 / facts.sampleRate + 1e-6
      ? 'fills it to the frame'
      : gap > 0
        ? `ends ${gap.toFixed(3)} s before it`
        : `is ${(-gap).toFixed(3)} s too long for it`
  const times = (ratio: number) => `${Number(ratio.toFixed(3))} ×`
  return (
    <p role="status" aria-label="How it fills the slot">
      <b className="font-[600]">
        {length.toFixed(3)} s of sound into {wanted.toFixed(3)} s of picture
      </b>
      : {lies}.{' '}
      <span className={reading.startsWith('clearly') ? 'text-trouble' : 'text-soft'}>
        {fill?.words !== undefined
          ? `What is said ${times(fill.words)}, ${reading}; pauses ${times(fill.pauses ?? 1)}.`
          : `${times(strain)}, ${reading}.`}
      </span>
    </p>
  )
}
