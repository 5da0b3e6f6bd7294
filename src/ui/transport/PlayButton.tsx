import { LoaderCircle, Play, Square } from 'lucide-react'

/** Play and stop what the view shows. */
export function PlayButton({
  playing,
  awaited = false,
  disabled,
  toggle,
}: {
  readonly playing: boolean
  /** it was asked for, and what it needs is being read */
  readonly awaited?: boolean
  readonly disabled: boolean
  readonly toggle: () => void
}) {
  return (
    <button
      type="button"
      className="solid-button !h-9 w-[92px] justify-center"
      disabled={disabled}
      onClick={toggle}
      title={playing ? 'Stop (Space)' : 'Play (Space)'}
    >
      {playing ? (
        <Square size={15} fill="currentColor" />
      ) : awaited ? (
        <LoaderCircle size={15} className="animate-spin" />
      ) : (
        <Play size={15} fill="currentColor" />
      )}
      {playing ? 'Stop' : awaited ? 'Reading' : 'Play'}
    </button>
  )
}
