import { type KeyboardEvent, type PointerEvent, useEffect, useRef, useState } from 'react'
import type { PictureMark, Source } from '../../../session'
import { sharpCanvas } from '../../common/canvas'
import { newGesture, useDrag } from '../../common/drag'
import { filmOf } from '../../session/film/films'
import { addMark, dropMark, moveMark, onPicture } from '../../session/film/slots'
import { seek } from '../../session/hear/listening'
import { frameAt, type View, xOf } from '../lanes/geometry'
import { PictureWindow } from './PictureWindow'
import { FILM_PX, pictureText, stillsOf } from './strip'
import type { FilmTime } from './useFilmTime'

const WINDOW_PX = 72
const GAP_PX = 1

/**
 * The film over the lanes, on their time axis: its pictures where they fall on the sound, its marks, and the one now.
 */
export function FilmStrip({
  source,
  time,
  view,
  widthPx,
  headPx,
}: {
  readonly source: Source
  readonly time: FilmTime
  readonly view: View
  readonly widthPx: number
  readonly headPx: number
}) {
  const field = useRef<HTMLDivElement>(null)
  const [scrub, setScrub] = useState<number>()
  const { film } = time
  const { seconds = 0, rate = 25 } = film.facts?.picture ?? {}
  const under = (event: { clientX: number }) => {
    const left = field.current?.getBoundingClientRect().left ?? 0
    return frameAt(view, Math.min(widthPx, Math.max(0, event.clientX - left)), widthPx)
  }
  const xAt = (at: number) => xOf(view, time.frameAt(at), widthPx)
  const marks = (film.marks ?? []).filter(({ seconds: at }) => at >= time.from - 1e-6 && at <= time.to + 1e-6)

  return (
    <div className="flex border-t border-rule" style={{ height: FILM_PX }}>
      <div className="flex shrink-0 items-center border-r border-rule px-1" style={{ width: headPx }}>
        <PictureWindow source={source} time={time} heightPx={WINDOW_PX} scrub={scrub} />
      </div>
      {/* biome-ignore lint/a11y/noStaticElementInteractions: keys have the playhead and "Mark here" */}
      {/* biome-ignore lint/a11y/useKeyWithClickEvents: the same */}
      <div
        ref={field}
        className="relative cursor-pointer overflow-hidden bg-well"
        style={{ width: widthPx }}
        title="Click: go there. Double click: mark the picture"
        onClick={(event) => seek(under(event))}
        onDoubleClick={(event) => addMark(film, time.secondsAt(under(event)))}
      >
        <Stills time={time} view={view} widthPx={widthPx} />
        {marks.map((mark) => (
          <Mark
            key={mark.id}
            film={film}
            mark={mark}
            x={xAt(mark.seconds)}
            rate={rate}
            secondsAt={(event) => Math.min(seconds, time.secondsAt(under(event)))}
            onScrub={setScrub}
          />
        ))}
      </div>
    </div>
  )
}

/** pictures that are kept for other views of the same film */
const MOST_KEPT = 300

/** Thumbnails, drawn as they are decoded. */
function Stills({ time, view, widthPx }: { readonly time: FilmTime; readonly view: View; readonly widthPx: number }) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const kept = useRef<{ film: string; pictures: Map<number, CanvasImageSource> }>({ film: '', pictures: new Map() })
  useEffect(() => {
    const ready = sharpCanvas(canvas.current, widthPx, FILM_PX)
    if (!ready) return
    const { context, colour } = ready
    const { film } = time
    const { width = 16, height = 9, seconds: all = 0 } = film.facts?.picture ?? {}
    if (kept.current.film !== film.id) kept.current = { film: film.id, pictures: new Map() }
    const { pictures } = kept.current
    const thumbPx = Math.max(24, Math.round((FILM_PX * width) / height) + GAP_PX)
    const stills = stillsOf(widthPx, thumbPx, view, time.secondsAt, all)
    const keyOf = (seconds: number) => Math.round(1000 * onPicture(film, seconds))
    const paint = (x: number, picture: CanvasImageSource) => context.drawImage(picture, x, 0, thumbPx - GAP_PX, FILM_PX)
    context.fillStyle = colour('--rule')
    for (const { x, seconds } of stills) {
      const there = pictures.get(keyOf(seconds))
      if (there) paint(x, there)
      else context.fillRect(x, 0, thumbPx - GAP_PX, FILM_PX)
    }
    const lacking = stills.filter(({ seconds }) => !pictures.has(keyOf(seconds)))
    if (lacking.length === 0) return
    let isGone = false
    const read = async () => {
      const open = await filmOf(film)
      if (!open || isGone) return
      const list = lacking.map(({ seconds }) => seconds)
      let n = 0
      for await (const picture of open.stills(list, 2 * thumbPx)) {
        const still = lacking[n++]
        if (isGone || !still) return
        if (!picture) continue
        pictures.set(keyOf(still.seconds), picture.canvas)
        for (const oldest of pictures.keys()) if (pictures.size > MOST_KEPT) pictures.delete(oldest)
        paint(still.x, picture.canvas)
      }
    }
    // what cannot be decoded stays a plain field
    const timer = setTimeout(() => void read().catch(() => undefined), SETTLED_MS)
    return () => {
      isGone = true
      clearTimeout(timer)
    }
  }, [time, view, widthPx])
  return (
    <canvas
      ref={canvas}
      role="img"
      aria-label="Pictures"
      className="block"
      style={{ width: widthPx, height: FILM_PX }}
    />
  )
}

/** a view that goes on changing is not read for */
const SETTLED_MS = 60

function Mark({
  film,
  mark,
  x,
  rate,
  secondsAt,
  onScrub,
}: {
  readonly film: Source
  readonly mark: PictureMark
  readonly x: number
  readonly rate: number
  readonly secondsAt: (event: PointerEvent) => number
  readonly onScrub: (seconds: number | undefined) => void
}) {
  const drag = useDrag<true, HTMLButtonElement>('mark', {
    begin: () => {
      onScrub(mark.seconds)
      return true
    },
    move(event, { gesture }) {
      const seconds = onPicture(film, secondsAt(event))
      moveMark(film, mark.id, seconds, gesture)
      onScrub(seconds)
    },
    end: () => onScrub(undefined),
  })
  function onKey(event: KeyboardEvent) {
    const by = event.shiftKey ? 10 : 1
    if (event.key === 'ArrowRight' || event.key === 'ArrowLeft') {
      const seconds = mark.seconds + ((event.key === 'ArrowRight' ? by : -by) + 0.5) / rate
      moveMark(film, mark.id, seconds, newGesture('mark'))
      onScrub(onPicture(film, seconds))
    } else if (event.key === 'Delete' || event.key === 'Backspace') dropMark(film, mark.id)
    else return
    event.preventDefault()
    event.stopPropagation()
  }
  const name = mark.name || pictureText(mark.seconds, rate)
  return (
    <button
      type="button"
      role="slider"
      aria-label={`Mark ${name}`}
      aria-valuemin={0}
      aria-valuemax={film.facts?.picture?.seconds ?? 0}
      aria-valuenow={mark.seconds}
      aria-valuetext={pictureText(mark.seconds, rate)}
      title={`${name}. Drag it, arrow keys by one picture, Delete takes it away`}
      className="absolute top-0 flex h-full w-3 -translate-x-1/2 cursor-ew-resize touch-none justify-center"
      style={{ left: x }}
      onClick={(event) => event.stopPropagation()}
      onDoubleClick={(event) => event.stopPropagation()}
      onBlur={() => onScrub(undefined)}
      {...drag}
      onKeyDown={onKey}
    >
      <span className="h-full w-0.5 bg-tide" />
      <span className="absolute bottom-0 left-[7px] max-w-[110px] truncate bg-ground/85 px-1 text-[11px] leading-[15px]">
        {name}
      </span>
    </button>
  )
}
