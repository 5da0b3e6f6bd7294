import { AudioWaveform } from 'lucide-react'
import { type Outlook, REFERENCE, type Source } from '../../../session'
import { Pop } from '../../common/Pop'
import { Select } from '../../fields/Select'
import { setOutlook } from '../../session/state/outlook'
import { useSession } from '../../session/state/store'

type Display = Outlook['display']

export const setDisplay = (part: Partial<Display>) =>
  setOutlook((outlook) => ({ display: { ...outlook.display, ...part } }))

/** What the lanes draw: the waveform, the spectrogram, or how each differs from one of them. */
export function DisplayMenu({ source }: { source: Source }) {
  const { show, frequency, against } = useSession((state) => state.outlook.display)
  return (
    <Pop
      label="What lanes show"
      title="Waveform or spectrogram (S), difference (D)"
      width={300}
      trigger={<AudioWaveform size={15} aria-hidden="true" />}
    >
      <div className="grid grid-cols-[88px_1fr] items-center gap-x-3 gap-y-2">
        <span className="caption">Lanes show</span>
        <Select
          aria-label="Lanes show"
          value={show}
          onChange={(event) => setDisplay({ show: event.target.value as Display['show'] })}
        >
          <option value="waveform">Waveform</option>
          <option value="spectrogram">Spectrogram</option>
        </Select>
        <span className="caption">Frequency</span>
        <Select
          aria-label="Frequency axis"
          value={frequency}
          disabled={show !== 'spectrogram'}
          onChange={(event) => setDisplay({ frequency: event.target.value as Display['frequency'] })}
        >
          <option value="log">by octaves</option>
          <option value="linear">by hertz</option>
        </Select>
        <span className="caption">Difference to</span>
        <Select
          aria-label="Difference to"
          value={against ?? ''}
          onChange={(event) =>
            setDisplay(
              event.target.value === '' ? { against: undefined } : { against: event.target.value, show: 'spectrogram' },
            )
          }
        >
          <option value="">none: levels</option>
          <option value={REFERENCE}>the reference</option>
          {source.variants.map((variant) => (
            <option key={variant.id} value={variant.id}>
              variant {variant.letter}
            </option>
          ))}
        </Select>
      </div>
      <p className="caption mt-2.5">
        {against === undefined
          ? 'All lanes share one scale: lightest is the loudest of the reference, the ground is 80 dB under it.'
          : 'Red is louder than there, blue quieter, by up to 18 dB; level matching is taken into account.'}
      </p>
    </Pop>
  )
}
