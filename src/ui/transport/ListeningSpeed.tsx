import { NumberField } from '../fields/NumberField'
import { setOutlook } from '../session/state/outlook'
import { useSession } from '../session/state/store'

/** How fast all is heard, at its pitch: to search through what is long. Nothing of the session changes. */
export function ListeningSpeed() {
  const speed = useSession((state) => state.outlook.listeningSpeed)
  return (
    <span
      className="flex w-[52px] flex-col leading-tight"
      title="Hear anything slower or faster at its pitch. What is made, and what is exported, stays as it is"
    >
      <span className={`caption ${speed === 1 ? '' : '!text-tide'}`}>listen at</span>
      <NumberField
        label="Listening speed"
        width="2.3em"
        value={speed}
        unit="×"
        digits={2}
        min={0.5}
        max={8}
        step={0.05}
        onChange={(listeningSpeed) => setOutlook({ listeningSpeed })}
        onReset={() => setOutlook({ listeningSpeed: 1 })}
      />
    </span>
  )
}
