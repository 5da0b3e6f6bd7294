import type { Source } from '../../session'
import { Centre } from '../common/Centre'
import { Guarded } from '../common/Guarded'
import { chosenVariant, useSession } from '../session/state/store'
import { AimRow } from './AimRow'
import { KnowStrip } from './know/KnowStrip'
import { Lanes } from './lanes/Lanes'
import { Panel } from './panel/Panel'
import { TargetPanel } from './TargetPanel'

/** One source: what is known of it, what is wanted of it, and its variants in lanes under the reference. */
export function Bench({ source }: { source: Source }) {
  const blind = useSession((state) => state.blind?.sourceId === source.id)
  const variant = useSession((state) => chosenVariant(state, source))
  return (
    <>
      <Guarded name="What is known" resetKey={source.id}>
        <KnowStrip source={source} />
      </Guarded>
      <Guarded name="The target" resetKey={source.id}>
        <TargetPanel source={source} />
        <AimRow source={source} />
      </Guarded>
      {blind ? (
        <Centre>
          <span className="wide text-[20px]">Names are hidden</span>
          <span className="max-w-[44ch] text-soft">
            Lanes are heard under numbers until you have answered. What is looped and how loud stays the same.
          </span>
        </Centre>
      ) : (
        <Guarded name="The lanes" resetKey={source.id}>
          <Lanes source={source} />
        </Guarded>
      )}
      <Panel source={source} variant={variant} />
    </>
  )
}
