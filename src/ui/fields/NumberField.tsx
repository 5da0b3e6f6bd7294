import { type KeyboardEvent, useEffect, useRef, useState } from 'react'
import { newGesture, useDrag } from '../common/drag'
import { parseNumber } from './parseNumber'

export interface NumberFieldProps {
  /** spoken name; also the tooltip's first words */
  readonly label: string
  readonly value: number | undefined
  readonly min: number
  readonly max: number
  /** one press of an arrow key; Shift makes it ten times, Alt a tenth */
  readonly step: number
  readonly digits: number
  /** `log` makes arrows and dragging work by ratio */
  readonly scale?: 'linear' | 'log'
  readonly unit?: string
  readonly signed?: boolean
  readonly placeholder?: string
  readonly size?: 'large' | 'small'
  readonly width: string
  /** What a typed text means, in the unit of the field; undefined where it means nothing. Else it is a number. */
  readonly read?: (text: string) => number | undefined
  /** what may be typed, told where it was something else */
  readonly examples?: string
  readonly onChange: (value: number, gesture: string) => void
  readonly onReset: () => void
}

const TYPING_PAUSE_MS = 400
const REFUSED_MS = 7000
const KEY_PAUSE_MS = 900

/**
 * A number that is typed, nudged with the arrow keys, scrubbed by dragging sideways, and reset by a double click. Each
 * takes effect at once; one drag, one held key, one typing is one step of undo.
 */
export function NumberField(props: NumberFieldProps) {
  const { label, value, min, max, step, digits, scale = 'linear', unit, signed, size = 'small', width } = props
  const input = useRef<HTMLInputElement>(null)
  const [draft, setDraft] = useState<string | undefined>()
  const gesture = useRef('')
  const keyAt = useRef(0)
  const typing = useRef<ReturnType<typeof setTimeout> | undefined>(undefined)
  const latest = useRef(props)
  latest.current = props
  const telling = useRef<ReturnType<typeof setTimeout> | undefined>(undefined)
  const [refused, setRefused] = useState<string | undefined>()
  useEffect(
    () => () => {
      clearTimeout(typing.current)
      clearTimeout(telling.current)
    },
    [],
  )

  const shown = value === undefined ? '' : format(value, digits, signed)
  const read = props.read ?? parseNumber
  const parsed = draft === undefined || draft === '' ? undefined : read(draft)
  const bad = draft !== undefined && draft !== '' && (parsed === undefined || parsed < min || parsed > max)

  function apply(next: number, mark: string) {
    const clean = Math.min(max, Math.max(min, next))
    if (clean !== latest.current.value) props.onChange(clean, mark)
  }

  function moved(from: number, steps: number): number {
    // by ratio, one press changes what is there by a hundredth, wherever on the scale it lies
    if (scale === 'log') return from * 1.01 ** steps
    const next = from + steps * step
    // stay on the grid that the step makes, but for steps finer than it
    return Math.abs(steps) >= 1 ? Math.round(next / step) * step : next
  }

  function refuse(text: string) {
    const range = `${format(min, digits, signed)} to ${format(max, digits, signed)}${unit ? ` ${unit}` : ''}`
    setRefused(
      parsed === undefined
        ? `“${text.trim()}” is no ${label.toLowerCase()}. ${props.examples ?? `A number from ${range}.`}`
        : `${label} goes from ${range}.`,
    )
    clearTimeout(telling.current)
    telling.current = setTimeout(() => setRefused(undefined), REFUSED_MS)
  }

  function commit() {
    clearTimeout(typing.current)
    // what is refused is refused: the value stays, and the field says what it takes
    if (draft !== undefined && draft !== shown && draft !== '') {
      if (bad) refuse(draft)
      else if (parsed !== undefined) apply(parsed, gesture.current)
    }
    setDraft(undefined)
  }

  function onKeyDown(event: KeyboardEvent<HTMLInputElement>) {
    if (event.key === 'Enter') {
      // keys go back to the bench: the next digit picks a lane
      commit()
      input.current?.blur()
    } else if (event.key === 'Escape') {
      clearTimeout(typing.current)
      setDraft(undefined)
      input.current?.blur()
    } else if (event.key === 'ArrowUp' || event.key === 'ArrowDown') {
      event.preventDefault()
      const now = performance.now()
      if (now - keyAt.current > KEY_PAUSE_MS) gesture.current = newGesture('field')
      keyAt.current = now
      const amount = event.shiftKey ? 10 : event.altKey ? 0.1 : 1
      const from = parsed ?? value ?? 0
      clearTimeout(typing.current)
      setDraft(undefined)
      apply(moved(from, event.key === 'ArrowUp' ? amount : -amount), gesture.current)
    }
  }

  function onType(text: string) {
    if (draft === undefined) gesture.current = newGesture('field')
    setDraft(text)
    clearTimeout(typing.current)
    setRefused(undefined)
    // where units may be typed, one may still be coming: anything but a plain number waits for Enter
    const next = props.read && !/^[\d.,]+$/.test(text.trim()) ? undefined : read(text)
    if (next !== undefined && next >= min && next <= max) {
      typing.current = setTimeout(() => apply(next, gesture.current), TYPING_PAUSE_MS)
    }
  }

  const drag = useDrag<number, HTMLSpanElement>('field', {
    begin(event) {
      if (document.activeElement === input.current || value === undefined) return undefined
      // the press becomes a drag or a click; until it is known which, the text must not take the focus
      event.preventDefault()
      return value
    },
    move(event, { start, byPx, gesture: mark }) {
      const amount = (byPx / 4) * (event.shiftKey ? 10 : event.altKey ? 0.1 : 1)
      apply(moved(start, Math.trunc(amount * 10) / 10), mark)
    },
    end(_, { moved: dragged }) {
      if (dragged) return
      input.current?.focus()
      input.current?.select()
    },
  })

  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: the drag is a second way; the input inside takes keys and text
    <span
      className={`field ${size === 'large' ? 'text-[25px] leading-[30px] font-[560] [font-stretch:108%]' : 'text-[13px] leading-[20px]'}`}
      data-bad={bad}
      title={`${label}: type, arrow keys, drag, double-click to reset`}
      {...drag}
      onDoubleClick={() => {
        clearTimeout(typing.current)
        setDraft(undefined)
        props.onReset()
        input.current?.blur()
      }}
    >
      <input
        ref={input}
        type="text"
        inputMode="decimal"
        role="spinbutton"
        aria-label={label}
        aria-valuenow={value}
        aria-valuemin={min}
        aria-valuemax={max}
        aria-valuetext={value === undefined ? 'not set' : `${shown} ${unit ?? ''}`.trim()}
        aria-invalid={bad}
        autoComplete="off"
        spellCheck={false}
        placeholder={props.placeholder}
        style={{ width }}
        value={draft ?? shown}
        onChange={(event) => onType(event.target.value)}
        onKeyDown={onKeyDown}
        onBlur={commit}
      />
      {unit && (
        <span className={`pl-1 text-faint select-none ${size === 'large' ? 'text-[13px]' : 'text-[12px]'}`}>
          {unit}
        </span>
      )}
      {refused && (
        <span role="alert" className="field-refused">
          {refused}
        </span>
      )}
    </span>
  )
}

/**
 * A number with at most `digits` decimals and at least two (or as many as there are), with a true minus sign: 1.25,
 * 0.0833, −3.
 */
export function format(value: number, digits: number, signed = false): string {
  const fixed = value.toFixed(digits)
  const text = digits > 2 ? fixed.replace(/(\.\d\d\d*?)0+$/, '$1') : fixed
  const zero = Number(text) === 0
  const plain = zero ? text.replace('-', '') : text.replace('-', '−')
  return signed && !zero && value > 0 ? `+${plain}` : plain
}
