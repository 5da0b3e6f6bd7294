import { AudioWaveform, Blend, CircleDot, Flag, Keyboard, Layers } from 'lucide-react'
import { Tabs } from 'radix-ui'
import { type ReactNode, useEffect } from 'react'
import type { Outlook, Source } from '../../session'
import { Guarded } from '../common/Guarded'
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

const PANELS: readonly { readonly id: PanelId; readonly label: string; readonly icon: typeof Flag }[] = [
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
      <Tabs.Root
        orientation="vertical"
        activationMode="manual"
        value={panel}
        onValueChange={(value) => setOutlook({ playPanel: value as PanelId })}
        className="flex min-h-[168px] shrink-0 border-t border-rule bg-deck"
      >
        <Tabs.List aria-label="Under the pads" className="flex w-[132px] shrink-0 flex-col border-r border-rule py-2">
          {PANELS.map(({ id, label, icon: Icon }) => (
            <Tabs.Trigger key={id} value={id} className="panel-tab">
              <Icon size={14} aria-hidden="true" /> {label}
            </Tabs.Trigger>
          ))}
          <span className="mt-auto truncate px-4 pb-1 text-[11px] text-soft" title={devices.join(', ')}>
            {devices.length === 0 ? 'no keyboard connected' : devices.join(', ')}
          </span>
        </Tabs.List>
        <Content value="pick" name="The pick">
          <PickPanel />
        </Content>
        <Content value="keys" name="The keys">
          <KeysPanel source={source} />
        </Content>
        <Content value="prepare" name="Preparing">
          <PreparePanel source={source} />
        </Content>
        <Content value="filter" name="The filter">
          <FilterPanel source={source} />
        </Content>
        <Content value="imprint" name="The imprint">
          <ImprintPanel key={source.id} source={source} />
        </Content>
        <Content value="takes" name="Takes">
          <TakesPanel />
        </Content>
      </Tabs.Root>
    </>
  )
}

function Content({
  value,
  name,
  children,
}: {
  readonly value: PanelId
  readonly name: string
  readonly children: ReactNode
}) {
  return (
    <Tabs.Content value={value} className="min-w-0 flex-1 outline-none" tabIndex={-1}>
      <Guarded name={name} resetKey={value}>
        {children}
      </Guarded>
    </Tabs.Content>
  )
}
