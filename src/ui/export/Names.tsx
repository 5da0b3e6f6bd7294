import { Download, Folder, Link } from 'lucide-react'
import { useEffect, useState } from 'react'
import { FIRST_EXPORT, NAME_FIELDS, unknownFields } from '../../session'
import { Pop } from '../common/Pop'
import { Choice } from '../fields/Choice'
import { settingsText } from '../session/exporting/items'
import { beginOver, canSaveOver } from '../session/exporting/over'
import { hasFolders, pickFolder, rememberedFolder } from '../session/exporting/places'
import { exportTicked } from '../session/exporting/queue'
import { tell } from '../session/state/notices'
import { useSession } from '../session/state/store'
import { setExport } from './AsWhat'
import { useTicked } from './useItems'

const MOST_SHOWN = 4

/** Under which names files go where, and the button that begins. */
export function Names() {
  const settings = useSession((state) => state.outlook.exporting.settings)
  const ticked = useTicked()
  const unknown = unknownFields(settings.pattern)
  const { length: count } = ticked
  return (
    <div className="shrink-0 border-b border-rule px-5 pt-3 pb-3">
      <div className="flex h-6 items-center pb-1.5">
        <h3 className="caption">Names</h3>
        {ticked.length === 1 && canSaveOver() && (
          <button
            type="button"
            className="plain-button ml-auto !h-6 text-[12.5px]"
            title="Choose a file that this is saved over, now and later: a program that is linked to it picks it up"
            onClick={() => ticked[0] && void beginOver(ticked[0].item, ticked[0].name)}
          >
            <Link size={13} /> Save over a file
          </button>
        )}
      </div>
      <div className="flex items-center gap-2">
        <input
          aria-label="Pattern of names"
          aria-invalid={unknown.length > 0}
          spellCheck={false}
          className="min-w-0 flex-1 border-b border-edge bg-transparent leading-[22px] outline-none hover:border-soft focus:border-tide"
          value={settings.pattern}
          onChange={(event) => setExport({ pattern: event.target.value })}
          onDoubleClick={() => setExport({ pattern: FIRST_EXPORT.pattern })}
        />
        <Pop label="Words of a pattern" width={320} trigger={<span className="text-[12.5px]">words</span>}>
          <dl className="grid grid-cols-[auto_1fr] gap-x-3 gap-y-1 text-[12.5px]">
            {Object.entries(NAME_FIELDS).map(([word, means]) => (
              <div key={word} className="contents">
                <dt>
                  <button
                    type="button"
                    className="text-tide"
                    onClick={() => setExport({ pattern: `${settings.pattern}_{${word}}` })}
                  >
                    {`{${word}}`}
                  </button>
                </dt>
                <dd className="text-soft">{means}</dd>
              </div>
            ))}
          </dl>
        </Pop>
      </div>
      {unknown.length > 0 && (
        <p role="alert" className="mt-1 text-[12.5px] text-trouble">
          {`{${unknown[0]}}`} stands for nothing.
        </p>
      )}
      <ul aria-label="Names of the files" className="mt-2 grid min-h-[20px] gap-0.5 text-[12.5px] text-soft">
        {ticked.slice(0, MOST_SHOWN).map(({ item, name }) => (
          <li key={item.key} className="truncate" title={name}>
            {name}
          </li>
        ))}
        {count > MOST_SHOWN && <li>and {count - MOST_SHOWN} more</li>}
        {count === 0 && <li>Nothing is ticked: choose at the left what is to become a file.</li>}
      </ul>
      <div className="mt-3 flex flex-wrap items-center gap-x-3 gap-y-2">
        <Choice
          label="Where to"
          value={settings.to}
          options={[
            { value: 'downloads', label: 'downloads', title: 'Each into the browser’s downloads' },
            { value: 'folder', label: 'a folder', title: 'Straight into a folder of this computer' },
            { value: 'zip', label: 'one zip', title: 'All of them in one zip' },
          ]}
          isOpen={(value) => value !== 'folder' || hasFolders()}
          onChange={(to) => setExport({ to })}
        />
        {settings.to === 'folder' && <FolderName />}
        <button
          type="button"
          className="solid-button ml-auto"
          disabled={count === 0}
          title={`${count} ${count === 1 ? 'file' : 'files'}: ${settingsText(settings)}`}
          onClick={() => void exportTicked()}
        >
          <Download size={15} /> Export {count === 0 ? '' : count} {count === 1 ? 'file' : 'files'}
        </button>
      </div>
    </div>
  )
}

/** The folder that files go to, and the way to another one. */
function FolderName() {
  const [name, setName] = useState<string | undefined>()
  useEffect(() => {
    void rememberedFolder().then((folder) => setName(folder?.name))
  }, [])
  return (
    <button
      type="button"
      className="plain-button !h-6 max-w-[180px]"
      title="Choose the folder"
      onClick={() =>
        void pickFolder()
          .then((folder) => folder && setName(folder.name))
          .catch(tell)
      }
    >
      <Folder size={14} /> <span className="truncate">{name ?? 'choose it'}</span>
    </button>
  )
}
