import { Guarded } from '../common/Guarded'
import { AsWhat } from './AsWhat'
import { Names } from './Names'
import { QueueList } from './QueueList'
import { What } from './What'

/** What is taken away, as what, under which names; and the one queue in which it is made. */
export function ExportView() {
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[minmax(230px,1fr)_304px_minmax(300px,1.35fr)] border-t border-rule max-[1180px]:grid-cols-[minmax(180px,1fr)_296px_minmax(230px,1.2fr)]">
      <Guarded name="The list of what can be exported" resetKey="what">
        <What />
      </Guarded>
      <Guarded name="The settings of files" resetKey="as">
        <AsWhat />
      </Guarded>
      <section aria-label="Files" className="flex min-h-0 min-w-0 flex-col">
        <Guarded name="The queue" resetKey="queue">
          <Names />
          <QueueList />
        </Guarded>
      </section>
    </div>
  )
}
