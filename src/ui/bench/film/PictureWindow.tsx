import { useEffect, useRef, useState } from 'react'
import type { Picture, PictureRun } from '../../../engine'
import type { Source } from '../../../session'
import { eachFrame, writeText } from '../../common/frames'
import { filmOf } from '../../session/film/films'
import { playback } from '../../session/hear/listening'
import { useSession } from '../../session/state/store'
import { pictureText } from './strip'
import type { FilmTime } from './useFilmTime'

const MOST_WIDTH_PX = 132
/** drawn a little finer than it is shown, for sharp screens */
const FINE = 2

/**
 * The picture in step with what is heard: the sound leads, what the machine takes to bring it to the ear is waited for.
 * @param scrub  a moment of the film that is looked at instead.
 */
export function PictureWindow({
  source,
  time,
  heightPx,
  scrub,
}: {
  readonly source: Source
  readonly time: FilmTime
  readonly heightPx: number
  readonly scrub: number | undefined
}) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const caption = useRef<HTMLSpanElement>(null)
  const { film } = time
  const { width = 16, height = 9, rate = 25 } = film.facts?.picture ?? {}
  // what is wider than usual is as wide as there is room for
  const widthPx = Math.min(MOST_WIDTH_PX, Math.round((heightPx * width) / height))
  const run = usePictures(film, widthPx * FINE)
  const playing = useSession((state) => state.playing)
  const position = useSession((state) => state.outlook.positions[source.id] ?? 0)

  useEffect(() => {
    let drawn: Picture | undefined
    let waits = 0
    const draw = () => {
      const isRunning = playing && scrub === undefined
      const frame = isRunning ? playback.sourceFrame() : position
      const late = isRunning ? playback.wayOutMs() / 1000 : 0
      const seconds = Math.max(0, scrub ?? time.secondsAt(frame) - late)
      const picture = run?.at(seconds)
      const element = canvas.current
      if (picture && picture !== drawn && element) {
        element.width = picture.canvas.width
        element.height = picture.canvas.height
        element.getContext('2d')?.drawImage(picture.canvas, 0, 0)
        drawn = picture
        // for whoever wants to prove from outside that it is in step
        element.dataset.seconds = picture.timestamp.toFixed(4)
      }
      if (element) element.dataset.wanted = seconds.toFixed(4)
      writeText(caption.current, pictureText(seconds, rate))
      // a picture that was asked for comes a moment later
      const isThere = picture && picture.timestamp <= seconds && seconds < picture.timestamp + picture.duration + 1e-3
      waits = isThere ? 0 : waits + 1
      return isRunning || (run !== undefined && waits < MOST_WAITS && !isThere)
    }
    return eachFrame(draw)
  }, [run, playing, position, scrub, time, rate])

  return (
    <figure className="flex items-end gap-2" aria-label={`Picture of ${film.name}`}>
      <canvas
        ref={canvas}
        role="img"
        aria-label="Picture"
        className="block rounded-[2px] bg-black"
        style={{ width: widthPx, height: Math.round((widthPx * height) / width) }}
      />
      <figcaption className="caption whitespace-nowrap">
        <span ref={caption} title="Minutes, seconds, picture" />
      </figcaption>
    </figure>
  )
}

/** frames that a picture at rest is waited for */
const MOST_WAITS = 600

/** Pictures of a film one after another, once it is open. */
function usePictures(film: Source, widthPx: number): PictureRun | undefined {
  const [run, setRun] = useState<PictureRun>()
  // biome-ignore lint/correctness/useExhaustiveDependencies: a film is known by its source
  useEffect(() => {
    let isGone = false
    let own: PictureRun | undefined
    void filmOf(film).then((open) => {
      if (isGone || !open) return
      own = open.run(widthPx)
      setRun(own)
    })
    return () => {
      isGone = true
      own?.close()
      setRun(undefined)
    }
  }, [film.id, widthPx])
  return run
}
