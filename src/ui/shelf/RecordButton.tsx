import { Circle, Square } from 'lucide-react'
import { Popover } from 'radix-ui'
import { useEffect, useRef, useState } from 'react'
import { type InputDevice, inputDevices, SIMULATED_INPUT } from '../../engine'
import { timeText } from '../common/formats'
import { eachFrame, writeText } from '../common/frames'
import { Select } from '../fields/Select'
import { beginRecording, endRecording, recordingNow } from '../session/files/recording'
import { useSession } from '../session/state/store'

/** Record from an input: which one, how loud, how long; what was recorded comes onto the shelf. */
export function RecordButton() {
  const recording = useSession((state) => state.recording)
  const [devices, setDevices] = useState<readonly InputDevice[]>([SIMULATED_INPUT])
  const [id, setId] = useState<string>()
  const device = devices.find((other) => other.id === id) ?? (devices[0] as InputDevice)
  return (
    <Popover.Root
      onOpenChange={(open) => {
        if (open) void inputDevices().then(setDevices)
      }}
    >
      <Popover.Trigger
        className="plain-button ml-auto !h-6 !px-1.5"
        aria-label="Record"
        title="Record from an input"
        data-recording={recording}
      >
        <Circle
          size={13}
          fill={recording ? 'var(--trouble)' : 'none'}
          color={recording ? 'var(--trouble)' : 'currentColor'}
        />
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label="Record from an input"
          align="start"
          sideOffset={4}
          collisionPadding={8}
          className="z-50 flex w-[300px] flex-col gap-3 rounded-[6px] border border-edge bg-deck px-4 py-3 shadow-[0_10px_34px_rgb(0_0_0/0.32)] outline-none"
        >
          <Select
            aria-label="Input"
            value={device.id}
            disabled={recording}
            onChange={(event) => setId(event.target.value)}
          >
            {devices.map((input) => (
              <option key={input.id} value={input.id}>
                {input.label}
              </option>
            ))}
          </Select>
          <div className="flex items-center gap-3">
            {recording ? (
              <button type="button" className="solid-button" onClick={() => void endRecording()}>
                <Square size={13} fill="currentColor" /> Stop and keep
              </button>
            ) : (
              <button type="button" className="solid-button" onClick={() => void beginRecording(device)}>
                <Circle size={13} fill="currentColor" /> Start recording
              </button>
            )}
            {recording && <Level />}
          </div>
          <p className="text-[12px] text-faint">As it comes in, unprocessed; it becomes a new source.</p>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

function Level() {
  const bar = useRef<HTMLSpanElement>(null)
  const time = useRef<HTMLSpanElement>(null)
  useEffect(() => {
    let shown = 0
    const draw = () => {
      const recording = recordingNow()
      if (recording) {
        shown = Math.max(recording.level(), shown * 0.93)
        if (bar.current) bar.current.style.width = `${Math.round(100 * Math.min(1, Math.sqrt(shown)))}%`
        writeText(time.current, timeText(recording.seconds()))
      }
      return true
    }
    return eachFrame(draw)
  }, [])
  return (
    <span className="flex flex-1 items-center gap-2">
      <span className="h-1.5 flex-1 overflow-hidden rounded-[2px] bg-rule">
        <span ref={bar} className="block h-full bg-tide" />
      </span>
      <span ref={time} className="w-[64px] text-right" />
    </span>
  )
}
