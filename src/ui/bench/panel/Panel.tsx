import { ChartScatter, Clapperboard, Ear, ListOrdered, SlidersHorizontal, Table2, Telescope } from 'lucide-react'
import { Tabs } from 'radix-ui'
import type { ReactNode } from 'react'
import type { Outlook, Source, Variant } from '../../../session'
import { Guarded } from '../../common/Guarded'
import { setOutlook } from '../../session/state/outlook'
import { useSession } from '../../session/state/store'
import { FilmPanel } from '../film/FilmPanel'
import { TimingPanel } from '../timing/TimingPanel'
import { AdvicePanel } from './AdvicePanel'
import { BlindPanel } from './BlindPanel'
import { ExplorePanel } from './ExplorePanel'
import { Scorecard } from './Scorecard'
import { VariantPanel } from './VariantPanel'

type PanelId = Outlook['panel']

const PANELS: readonly { readonly id: PanelId; readonly label: string; readonly icon: typeof Ear }[] = [
  { id: 'settings', label: 'Settings', icon: SlidersHorizontal },
  { id: 'timing', label: 'Timing', icon: ChartScatter },
  { id: 'picture', label: 'Picture', icon: Clapperboard },
  { id: 'explore', label: 'Explore a setting', icon: Telescope },
  { id: 'scorecard', label: 'Scorecard', icon: Table2 },
  { id: 'advice', label: 'Advice', icon: ListOrdered },
  { id: 'blind', label: 'Listen blind', icon: Ear },
]

/**
 * What lies under the lanes: one variant's settings, all figures side by side, advice, or a comparison without names.
 */
export function Panel({ source, variant }: { source: Source; variant: Variant | undefined }) {
  // while names are hidden, nothing that tells them is at hand
  const blind = useSession((state) => state.blind?.sourceId === source.id)
  const chosen = useSession((state) => state.outlook.panel)
  const panel = blind ? 'blind' : chosen
  return (
    <Tabs.Root
      orientation="vertical"
      activationMode="manual"
      value={panel}
      onValueChange={(value) => setOutlook({ panel: value as PanelId })}
      className="flex min-h-[124px] shrink-0 border-t border-rule bg-deck"
    >
      <Tabs.List aria-label="Under the lanes" className="flex w-[208px] shrink-0 flex-col border-r border-rule py-2">
        {PANELS.map(({ id, label, icon: Icon }) => (
          <Tabs.Trigger key={id} value={id} disabled={blind && id !== 'blind'} className="panel-tab">
            <Icon size={14} aria-hidden="true" /> {label}
          </Tabs.Trigger>
        ))}
      </Tabs.List>
      <Content value="settings" name="The settings" source={source}>
        {variant ? (
          <VariantPanel source={source} variant={variant} />
        ) : (
          <p className="px-5 py-4 text-soft">
            No variant yet. Add one above the lanes: each is a method tried on this target.
          </p>
        )}
      </Content>
      <Content value="timing" name="The timing" source={source}>
        <TimingPanel source={source} />
      </Content>
      <Content value="picture" name="The picture" source={source}>
        <FilmPanel source={source} />
      </Content>
      <Content value="explore" name="The exploration" source={source}>
        {variant ? (
          <ExplorePanel source={source} variant={variant} />
        ) : (
          <p className="px-5 py-4 text-soft">No variant yet. Add one above the lanes to explore its settings.</p>
        )}
      </Content>
      <Content value="scorecard" name="The scorecard" source={source}>
        <Scorecard source={source} />
      </Content>
      <Content value="advice" name="The advice" source={source}>
        <AdvicePanel source={source} />
      </Content>
      <Content value="blind" name="Blind listening" source={source}>
        <BlindPanel source={source} />
      </Content>
    </Tabs.Root>
  )
}

function Content({
  value,
  name,
  source,
  children,
}: {
  readonly value: PanelId
  readonly name: string
  readonly source: Source
  readonly children: ReactNode
}) {
  return (
    <Tabs.Content value={value} className="min-w-0 flex-1 outline-none" tabIndex={-1}>
      <Guarded name={name} resetKey={source.id}>
        {children}
      </Guarded>
    </Tabs.Content>
  )
}
