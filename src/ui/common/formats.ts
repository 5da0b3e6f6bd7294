import { amplitudeToDb } from '../../core'
import type { SourceFacts } from '../../session'

/** A count with its word: 1 attack, 45 attacks. */
export const countedText = (count: number, word: string) => `${count} ${word}${count === 1 ? '' : 's'}`

/** Seconds as people read a position: 0:09.120, 1:04.250, 1:02:03.000. */
export function timeText(seconds: number): string {
  const safe = Math.max(0, seconds)
  const whole = Math.floor(safe + 0.0005)
  const milliseconds = Math.round((safe - whole) * 1000)
  const rest = `${String(whole % 60).padStart(2, '0')}.${String(Math.max(0, milliseconds)).padStart(3, '0')}`
  const minutes = Math.floor(whole / 60)
  if (minutes < 60) return `${minutes}:${rest}`
  return `${Math.floor(minutes / 60)}:${String(minutes % 60).padStart(2, '0')}:${rest}`
}

export function peakText(peak: number): string {
  return peak > 0 ? `${peak > 1 ? '+' : ''}${dbText(amplitudeToDb(peak))} dB` : 'silent'
}

export function dbText(db: number): string {
  const text = Math.abs(db).toFixed(1)
  return db < 0 && Number(text) !== 0 ? `−${text}` : text
}

/** 480000 → 480 000 */
export function countText(count: number): string {
  return String(Math.round(count)).replace(/\B(?=(\d{3})+$)/g, ' ')
}

export function rateText(sampleRate: number): string {
  return `${Number((sampleRate / 1000).toFixed(3))} kHz`
}

export function channelText(channels: number): string {
  return channels === 1 ? 'mono' : channels === 2 ? 'stereo' : `${channels} channels`
}

export function kindText(facts: SourceFacts): string {
  const depth = facts.depth ? `${facts.depth.bits}-bit${facts.depth.float ? ' float' : ''}` : ''
  return [facts.container, depth].filter(Boolean).join(' ')
}

/** How large a file is: `3.4 MB`. */
export function sizeText(bytes: number): string {
  if (bytes < 1000) return `${bytes} bytes`
  const [size, unit] = bytes < 1e6 ? [bytes / 1e3, 'kB'] : bytes < 1e9 ? [bytes / 1e6, 'MB'] : [bytes / 1e9, 'GB']
  return `${size.toFixed(size < 100 ? 1 : 0)} ${unit}`
}
