import { Choice } from '../fields/Choice'
import { Field } from '../fields/Field'
import { setOutlook } from '../session/state/outlook'
import { useSession } from '../session/state/store'

/** When what is struck begins, while something with beats plays: a timeline, a lane, an overdub. */
export function NoteStart() {
  const start = useSession((state) => state.outlook.noteStart)
  return (
    <Field caption="Begins">
      <Choice
        label="Begins"
        value={start}
        options={[
          { value: 'now', label: 'at once', title: 'As soon as it is struck' },
          { value: 'beat', label: 'on the beat', title: 'With the next beat of what plays' },
          { value: 'bar', label: 'on the bar', title: 'With the next bar of what plays' },
        ]}
        onChange={(noteStart) => setOutlook({ noteStart })}
      />
    </Field>
  )
}
