import { AppError } from '../errors'

/**
 * One setting of a method, as plain data: it draws its control, parses its command-line value, checks what comes from a
 * file, and crosses to a worker. `trades` says what more of it gives and what it costs.
 */
export interface NumberSetting {
  readonly type: 'number'
  readonly label: string
  readonly unit: string
  readonly min: number
  readonly max: number
  readonly step: number
  readonly default: number
  readonly scale: 'linear' | 'log'
  readonly trades: string
}

export interface ChoiceSetting {
  readonly type: 'choice'
  readonly label: string
  readonly unit: ''
  readonly options: readonly { readonly value: string; readonly label: string }[]
  readonly default: string
  readonly trades: string
}

export type Setting = NumberSetting | ChoiceSetting
export type SettingsSchema = Readonly<Record<string, Setting>>
/** The values of a schema's settings: numbers for numbers, one of the options for choices. */
export type SettingsOf<S extends SettingsSchema> = {
  readonly [K in keyof S]: S[K] extends NumberSetting ? number : string
}
export type SettingValues = Readonly<Record<string, number | string>>

export function number(
  setting: Omit<NumberSetting, 'type' | 'scale' | 'step'> & { scale?: 'linear' | 'log'; step?: number },
): NumberSetting {
  return { type: 'number', scale: 'linear', step: 1, ...setting }
}

export function choice(setting: Omit<ChoiceSetting, 'type' | 'unit'>): ChoiceSetting {
  return { type: 'choice', unit: '', ...setting }
}

/**
 * The full values of a schema: what was given, checked; for the rest what was picked for the material (kept within its
 * range), or the defaults.
 * @throws {AppError} `setting/unknown` or `setting/range` with the setting's name and what it takes.
 */
export function resolveSettings<S extends SettingsSchema>(
  schema: S,
  given: SettingValues,
  picked: SettingValues = {},
): SettingsOf<S> {
  for (const name of Object.keys(given)) {
    if (!Object.hasOwn(schema, name)) {
      throw new AppError('setting/unknown', { name, known: Object.keys(schema).join(', ') || 'none' })
    }
  }
  const values: Record<string, number | string> = {}
  for (const [name, setting] of Object.entries(schema)) {
    if (Object.hasOwn(given, name)) values[name] = checkSetting(name, setting, given[name])
    else values[name] = within(setting, picked[name] ?? setting.default)
  }
  return values as SettingsOf<S>
}

function within(setting: Setting, value: number | string): number | string {
  if (setting.type === 'choice') return value
  return Math.min(setting.max, Math.max(setting.min, value as number))
}

/** @throws {AppError} `setting/range` */
export function checkSetting(name: string, setting: Setting, value: unknown): number | string {
  if (setting.type === 'number') {
    if (typeof value === 'number' && value >= setting.min && value <= setting.max) return value
    throw new AppError('setting/range', { name, takes: `${setting.min} to ${setting.max} ${setting.unit}`.trim() })
  }
  if (setting.options.some((option) => option.value === value)) return value as string
  throw new AppError('setting/range', { name, takes: setting.options.map((option) => option.value).join(', ') })
}
