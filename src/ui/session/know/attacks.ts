import type { Source } from '../../../session'
import { setAttacks } from '../edits'
import { heardSound } from '../hear/listening'
import { pool } from '../state/engine'
import { tell } from '../state/notices'

/** Find the attacks anew, by an ear of 0 to 1, and take them as said by hand. One gesture is one step of undo. */
export async function findAttacks(source: Source, sensitivity: number, gesture?: string): Promise<void> {
  const heard = heardSound(source)
  if (!heard) return
  try {
    const job = { kind: 'attacksAt', sound: heard.decoded.sound, sensitivity } as const
    const attacks = await pool.run<'attacksAt'>(job, { rank: 0 })
    const offset = source.range?.start ?? 0
    setAttacks(
      source.id,
      attacks.map(({ frame }) => frame + offset),
      gesture,
    )
  } catch (error) {
    tell(error)
  }
}
