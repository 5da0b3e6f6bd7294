import { Guarded } from '../common/Guarded'
import { Choice } from '../fields/Choice'
import { setOutlook } from '../session/state/outlook'
import { useSession } from '../session/state/store'
import { AsWhat } from './AsWhat'
import { BatchView } from './BatchView'
import { Names } from './Names'
import { QueueList } from './QueueList'
import { SavedOver } from './SavedOver'
import { What } from './What'

/** What is taken away, as what, under which names: of what was made here in one queue, of listed files in a batch. */
export function ExportView() {
  const of = useSession((state) => state.outlook.exporting.of)
  return (
    <div className="flex min-h-0 flex-1 flex-col border-t border-rule">
      <div className="flex h-10 shrink-0 items-center border-b border-rule px-5">
        <Choice
          label="Of what"
          value={of}
          options={[
            { value: 'session', label: 'this session', title: 'What was made here: variants, the mix, picks, takes' },
            { value: 'found', label: 'many files', title: 'All files listed under Found, brought to one target' },
          ]}
          onChange={(next) => setOutlook(({ exporting }) => ({ exporting: { ...exporting, of: next } }))}
        />
      </div>
      {of === 'found' ? (
        <Guarded name="The batch" resetKey="batch">
          <BatchView />
        </Guarded>
      ) : (
        <div className="grid min-h-0 flex-1 grid-cols-[minmax(230px,1fr)_304px_minmax(300px,1.35fr)] max-[1180px]:grid-cols-[minmax(180px,1fr)_296px_minmax(230px,1.2fr)]">
          <Guarded name="The list of what can be exported" resetKey="what">
            <What />
          </Guarded>
          <Guarded name="The settings of files" resetKey="as">
            <AsWhat />
          </Guarded>
          <section aria-label="Files" className="flex min-h-0 min-w-0 flex-col">
            <Guarded name="The queue" resetKey="queue">
              <Names />
              <SavedOver />
              <QueueList />
            </Guarded>
          </section>
        </div>
      )}
    </div>
  )
}
