import { ChartScatter, Clapperboard, Ear, ListOrdered, SlidersHorizontal, Table2, Telescope } from 'lucide-react'
import type { Outlook, Source, Variant } from '../../../session'
import { SidePanel, type SideTab, SideTabs } from '../../common/SideTabs'
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

const PANELS: readonly SideTab<PanelId>[] = [
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
    <SideTabs
      label="Under the lanes"
      tabs={PANELS.map((tab) => ({ ...tab, disabled: blind && tab.id !== 'blind' }))}
      value={panel}
      onChange={(id) => setOutlook({ panel: id })}
      sizes={{ panel: 'min-h-[124px]', list: 'w-[208px]' }}
    >
      <SidePanel value="settings" name="The settings" resetKey={source.id}>
        {variant ? (
          <VariantPanel source={source} variant={variant} />
        ) : (
          <p className="px-5 py-4 text-soft">
            No variant yet. Add one above the lanes: each is a method tried on this target.
          </p>
        )}
      </SidePanel>
      <SidePanel value="timing" name="The timing" resetKey={source.id}>
        <TimingPanel source={source} />
      </SidePanel>
      <SidePanel value="picture" name="The picture" resetKey={source.id}>
        <FilmPanel source={source} />
      </SidePanel>
      <SidePanel value="explore" name="The exploration" resetKey={source.id}>
        {variant ? (
          <ExplorePanel source={source} variant={variant} />
        ) : (
          <p className="px-5 py-4 text-soft">No variant yet. Add one above the lanes to explore its settings.</p>
        )}
      </SidePanel>
      <SidePanel value="scorecard" name="The scorecard" resetKey={source.id}>
        <Scorecard source={source} />
      </SidePanel>
      <SidePanel value="advice" name="The advice" resetKey={source.id}>
        <AdvicePanel source={source} />
      </SidePanel>
      <SidePanel value="blind" name="Blind listening" resetKey={source.id}>
        <BlindPanel source={source} />
      </SidePanel>
    </SideTabs>
  )
}
