import { ChevronDown } from 'lucide-react'
import { DropdownMenu } from 'radix-ui'
import type { ReactNode } from 'react'
import { type Family, methods } from '../../core'

const FAMILY_NAMES: Readonly<Record<Family, string>> = {
  transient: 'Transient',
  tonal: 'Tonal',
  granular: 'Granular',
  layered: 'Layered',
  speed: 'Speed',
}

/** How heavy a method is, in words that go with its measured speed. */
function costText(timesRealTime: number): string {
  const weight = timesRealTime >= 100 ? 'light' : timesRealTime >= 20 ? 'middling' : 'heavy'
  return `${weight}, ${timesRealTime} ×`
}

/** All methods by family, each with what it is for and what it costs. */
export function MethodMenu(props: {
  label: string
  /** the method in use, if this is about one */
  value?: string
  disabled?: boolean
  onChange: (methodId: string) => void
  /** a lane that is joined of others can be asked for as well */
  onJoin?: () => void
  children: ReactNode
}) {
  const { label, value, disabled, onChange, onJoin, children } = props
  const families = [...new Set(methods.map((method) => method.family))]
  return (
    <DropdownMenu.Root modal={false}>
      <DropdownMenu.Trigger className="method-trigger" aria-label={label} disabled={disabled}>
        {children}
        <ChevronDown size={13} aria-hidden="true" className="text-faint" />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="method-menu" align="start" sideOffset={4} collisionPadding={12}>
          <DropdownMenu.RadioGroup value={value ?? ''} onValueChange={onChange}>
            {families.map((family) => (
              <DropdownMenu.Group key={family} className="method-family">
                <DropdownMenu.Label className="caption">{FAMILY_NAMES[family]}</DropdownMenu.Label>
                <div>
                  {methods
                    .filter((method) => method.family === family)
                    .map((method) => (
                      <DropdownMenu.RadioItem key={method.id} value={method.id} className="method-item">
                        <span className="font-[600] text-text">{method.label}</span>
                        <span className="caption" title="Seconds of stereo sound per second of one core">
                          {costText(method.timesRealTime)}
                        </span>
                        <span className="col-span-2 text-[12px] text-soft">{method.use}</span>
                      </DropdownMenu.RadioItem>
                    ))}
                </div>
              </DropdownMenu.Group>
            ))}
          </DropdownMenu.RadioGroup>
          {onJoin && (
            <DropdownMenu.Group className="method-family">
              <DropdownMenu.Label className="caption">Joined</DropdownMenu.Label>
              <div>
                <DropdownMenu.Item className="method-item" onSelect={onJoin}>
                  <span className="font-[600] text-text">Joined lanes</span>
                  <span />
                  <span className="col-span-2 text-[12px] text-soft">
                    Several methods, one behind the other: each where it does least harm, by measure or painted.
                  </span>
                </DropdownMenu.Item>
              </div>
            </DropdownMenu.Group>
          )}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  )
}
