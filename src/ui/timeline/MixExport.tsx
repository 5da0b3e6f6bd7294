import { Download } from 'lucide-react'
import { Pop } from '../common/Pop'
import { Progress } from '../common/Progress'
import { cancelMixReport, MIX_REPORT, writeMixReport } from '../report/writeMixReport'
import { isOfTimeline } from '../session/exporting/items'
import { aheadOf, cancelMixExport, exportMix } from '../session/exporting/quick'
import { useSession } from '../session/state/store'
import { setClickInMix } from '../session/timeline/edits'

/** Takes the timeline away: as one file, as a file for each row, the click beside it. */
export function MixExport() {
  const report = useSession((state) => state.exports[MIX_REPORT])
  const ahead = useSession((state) => aheadOf(state.queue, isOfTimeline))
  const work = report ?? ahead
  const empty = useSession((state) => state.history.present.parts.length === 0)
  const inMix = useSession((state) => state.history.present.click.inMix)
  if (work)
    return (
      <span role="status" className="mr-2 text-[12.5px]">
        <Progress
          label={`Exporting ${work.name}`}
          value={work.progress}
          cancelLabel="Cancel the export"
          onCancel={report ? cancelMixReport : cancelMixExport}
        >
          {work.name} {Math.round(100 * work.progress)} %
        </Progress>
      </span>
    )
  const act = 'plain-button w-full !justify-start !text-tide'
  return (
    <span className="mr-2">
      <Pop
        label="Export"
        title="The mix, its rows, its click as files"
        width={250}
        trigger={
          <span className="flex items-center gap-1.5">
            <Download size={14} /> Export
          </span>
        }
      >
        <div className="flex flex-col gap-1">
          <button type="button" className={act} disabled={empty} onClick={() => void exportMix('mix')}>
            The mix
          </button>
          <button type="button" className={act} disabled={empty} onClick={() => void exportMix('rows')}>
            Each row that is heard
          </button>
          <button type="button" className={act} disabled={empty} onClick={() => void exportMix('click')}>
            The click alone
          </button>
          <button
            type="button"
            className={act}
            disabled={empty}
            title="What is done to each sound, in figures, with the mix to listen to"
            onClick={() => void writeMixReport()}
          >
            A report of all parts
          </button>
          <label className="flex items-center gap-2 px-2 pt-1 text-[12.5px]">
            <input type="checkbox" checked={inMix} onChange={(event) => setClickInMix(event.target.checked)} />
            click in the mix
          </label>
        </div>
      </Pop>
    </span>
  )
}
