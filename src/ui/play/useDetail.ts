import { useEffect, useState } from 'react'
import { contentKey, playedRecipe, type Source } from '../../session'
import type { View } from '../bench/lanes/geometry'
import { analysisOf } from '../session/know/analyses'
import { soundOf } from '../session/play/instruments'
import { pool } from '../session/state/engine'
import type { Detail } from './stripDrawing'

/** more than this is drawn from what was rendered of all of it, s */
const MOST_SECONDS = 6
const PAUSE_MS = 120

/** The samples of what is looked at closely, read on demand: no more of the result is ever held. */
export function useDetail(
  source: Source,
  variant: string | undefined,
  view: View,
  widthPx: number,
): Detail | undefined {
  const [detail, setDetail] = useState<(Detail & { readonly key: string }) | undefined>()
  const rate = source.facts?.sampleRate ?? 48_000
  const recipe = playedRecipe(source, variant)
  const key = contentKey(source, variant === undefined ? 'source' : recipe)
  const isWanted = widthPx > 0 && view.span <= MOST_SECONDS * rate
  const isThere =
    detail?.key === key &&
    detail.from <= view.start &&
    detail.from + detail.samples.length >= view.start + view.span - 1
  useEffect(() => {
    if (!isWanted || isThere) return
    const stop = new AbortController()
    const timer = setTimeout(async () => {
      try {
        const sound = await soundOf(source)
        const analysis = variant === undefined ? {} : await analysisOf(source, sound, recipe)
        const from = Math.max(0, Math.floor(view.start - view.span / 2))
        const to = Math.ceil(view.start + 1.5 * view.span)
        const read = await pool.run<'span'>(
          { kind: 'span', sound, recipe: variant === undefined ? undefined : recipe, analysis, from, to },
          { signal: stop.signal, rank: 1 },
        )
        if (!('channels' in read.lies)) return
        setDetail({ key, from, samples: read.lies.channels[0] as Float32Array })
      } catch {
        // it stays as it was drawn; what cannot be read is told where it is opened
      }
    }, PAUSE_MS)
    return () => {
      clearTimeout(timer)
      stop.abort()
    }
  }, [isWanted, isThere, key, view.start, view.span, source, variant, recipe])
  return detail?.key === key ? detail : undefined
}
