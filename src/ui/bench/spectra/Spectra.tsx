import { useEffect, useRef } from 'react'
import { amplitudeToDb, type Spectrogram } from '../../../core'
import { REFERENCE, type Source, type Variant } from '../../../session'
import { laneGains } from '../../session/hear/listening'
import { pictureId } from '../../session/render/spectra'
import { useSession } from '../../session/state/store'
import type { View } from '../lanes/geometry'
import { drawDifference, drawLevels, loudestDb, shareOf } from './picture'
import { rampsOf } from './ramps'

const LABELS = [100, 1000, 10_000] as const
const LABELS_FROM_PX = 46

/** What a lane holds at which frequency; or, against another lane, how much louder it is there. */
export function Spectra({
  source,
  variant,
  view,
  widthPx,
  heightPx,
}: {
  readonly source: Source
  readonly variant: Variant | undefined
  readonly view: View
  readonly widthPx: number
  readonly heightPx: number
}) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const laneId = variant?.id ?? REFERENCE
  const { frequency, against } = useSession((state) => state.outlook.display)
  const theme = useSession((state) => state.outlook.theme)
  const own = useSession((state) => state.spectra[pictureId(source, laneId)])
  const reference = useSession((state) => state.spectra[pictureId(source, REFERENCE)])
  const exists = against === REFERENCE || source.variants.some(({ id }) => id === against)
  const base = useSession((state) =>
    against !== undefined && exists && against !== laneId ? state.spectra[pictureId(source, against)] : undefined,
  )
  const offsetDb = useSession((state) => {
    const gains = laneGains(state, source)
    const gainOf = (id: string) => gains[1 + source.variants.findIndex((one) => one.id === id)] ?? 1
    return against === undefined ? 0 : Number(amplitudeToDb(gainOf(laneId) / gainOf(against)).toFixed(2))
  })

  useEffect(() => {
    const element = canvas.current
    const context = element?.getContext('2d')
    if (!element || !context || widthPx < 1 || heightPx < 1) return
    const ratio = Math.min(2, window.devicePixelRatio || 1)
    const width = Math.round(widthPx * ratio)
    const height = Math.round(heightPx * ratio)
    element.width = width
    element.height = height
    if (!own) return
    const image = context.createImageData(width, height)
    const span = own.end - own.start
    // what was made for another view is stretched to this one until there is something better
    const part = { from: (view.start - own.start) / span, to: (view.start + view.span - own.start) / span }
    const topDb = loudestOf(reference?.picture ?? own.picture)
    const { levels, differences } = rampsOf(theme)
    const same = base && base.start === own.start && base.end === own.end
    if (base && same)
      drawDifference(
        image.data,
        width,
        height,
        own.picture,
        base.picture,
        part,
        frequency,
        topDb,
        offsetDb,
        differences,
      )
    else drawLevels(image.data, width, height, own.picture, part, frequency, topDb, levels)
    context.putImageData(image, 0, 0)
  }, [own, reference, base, view, widthPx, heightPx, frequency, theme, offsetDb])

  const sampleRate = own?.picture.sampleRate ?? 48_000
  return (
    <div className="relative" style={{ width: widthPx, height: heightPx }}>
      <canvas
        ref={canvas}
        role="img"
        aria-label={`${against !== undefined && base ? 'Difference' : 'Spectrogram'} of ${variant ? `variant ${variant.letter}` : 'the reference'}`}
        className="block"
        style={{ width: widthPx, height: heightPx }}
      />
      {!own && <span className="caption absolute top-1/2 left-3 -translate-y-1/2">Reading its frequencies</span>}
      {own &&
        heightPx >= LABELS_FROM_PX &&
        LABELS.filter((hz) => hz < sampleRate / 2).map((hz) => (
          <span
            key={hz}
            className="spectrum-label"
            style={{ bottom: shareOf(hz, frequency, sampleRate) * heightPx - 6 }}
            aria-hidden="true"
          >
            {hz >= 1000 ? `${hz / 1000} k` : hz}
          </span>
        ))}
    </div>
  )
}

const loudest = new WeakMap<Spectrogram, number>()

function loudestOf(picture: Spectrogram): number {
  const known = loudest.get(picture)
  if (known !== undefined) return known
  const found = loudestDb(picture)
  loudest.set(picture, found)
  return found
}
