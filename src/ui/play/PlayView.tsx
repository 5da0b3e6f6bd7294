import { AudioWaveform, Blend, CircleDot, Flag, Keyboard, Layers } from 'lucide-react'
import { useEffect } from 'react'
import type { Outlook, Source } from '../../session'
import { Guarded } from '../common/Guarded'
import { SidePanel, type SideTab, SideTabs } from '../common/SideTabs'
import { playback } from '../session/hear/listening'
import { letAllGo, standBy } from '../session/play/hands'
import { endRound } from '../session/play/rounds'
import { setOutlook } from '../session/state/outlook'
import { useSession } from '../session/state/store'
import { FilterPanel } from './FilterPanel'
import { ImprintPanel } from './ImprintPanel'
import { KeysPanel } from './KeysPanel'
import { Pads } from './Pads'
import { PickPanel } from './PickPanel'
import { PreparePanel } from './PreparePanel'
import { Strip } from './Strip'
import { StripBar } from './StripBar'
import { TakesPanel } from './TakesPanel'
import { useMidi } from './useMidi'
import { usePlayKeys } from './usePlayKeys'

type PanelId = Outlook['playPanel']

const PANELS: readonly SideTab<PanelId>[] = [
  { id: 'pick', label: 'Pick', icon: Flag },
  { id: 'keys', label: 'Keys', icon: Keyboard },
  { id: 'prepare', label: 'Prepare', icon: Layers },
  { id: 'filter', label: 'Filter', icon: AudioWaveform },
  { id: 'imprint', label: 'Imprint', icon: Blend },
  { id: 'takes', label: 'Takes', icon: CircleDot },
]

/** The far result as one long strip; what is good of it on pads and keys, to be played. */
export function PlayView({ source }: { source: Source }) {
  const panel = useSession((state) => state.outlook.playPanel)
  const playing = useSession((state) => state.playing || state.mixPlaying)
  usePlayKeys()
  const devices = useMidi()
  // what is struck is heard at once: the output runs as long as this view is looked at
  useEffect(() => {
    if (!playing) standBy()
    else endRound()
  }, [playing])
  useEffect(
    () => () => {
      letAllGo()
      endRound()
      if (playback.playing === 'hand') playback.stop()
    },
    [],
  )
  useEffect(() => {
    window.addEventListener('blur', letAllGo)
    window.addEventListener('pointerdown', standBy)
    return () => {
      window.removeEventListener('blur', letAllGo)
      window.removeEventListener('pointerdown', standBy)
    }
  }, [])
  return (
    <>
      <Guarded name="The strip" resetKey={source.id}>
        <StripBar source={source} />
        <Strip source={source} />
      </Guarded>
      <Guarded name="The pads" resetKey="pads">
        <Pads />
      </Guarded>
      <SideTabs
        label="Under the pads"
        tabs={PANELS}
        value={panel}
        onChange={(id) => setOutlook({ playPanel: id })}
        sizes={{ panel: 'min-h-[168px]', list: 'w-[132px]' }}
        foot={
          <span className="mt-auto truncate px-4 pb-1 text-[11px] text-soft" title={devices.join(', ')}>
            {devices.length === 0 ? 'no keyboard connected' : devices.join(', ')}
          </span>
        }
      >
        <SidePanel value="pick" name="The pick" resetKey="pick">
          <PickPanel />
        </SidePanel>
        <SidePanel value="keys" name="The keys" resetKey="keys">
          <KeysPanel source={source} />
        </SidePanel>
        <SidePanel value="prepare" name="Preparing" resetKey="prepare">
          <PreparePanel source={source} />
        </SidePanel>
        <SidePanel value="filter" name="The filter" resetKey="filter">
          <FilterPanel source={source} />
        </SidePanel>
        <SidePanel value="imprint" name="The imprint" resetKey="imprint">
          <ImprintPanel key={source.id} source={source} />
        </SidePanel>
        <SidePanel value="takes" name="Takes" resetKey="takes">
          <TakesPanel />
        </SidePanel>
      </SideTabs>
    </>
  )
}
