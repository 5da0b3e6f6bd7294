import papaparse from 'papaparse'
import type { BatchRow } from './settings'

const STRAIN = ['natural', 'slightly', 'clearly'] as const
const strainOf = ({ status, reading = 'natural' }: BatchRow) =>
  status === 'failed' ? STRAIN.length : STRAIN.findIndex((word) => reading.startsWith(word))
const failed = ({ status }: BatchRow) => (status === 'failed' ? 1 : 0)
const severity = ({ harm }: BatchRow) => harm?.severity ?? 0

/** What failed, what was harmed most and what is strained most first. */
export const worstFirst = (a: BatchRow, b: BatchRow): number =>
  failed(b) - failed(a) || severity(b) - severity(a) || strainOf(b) - strainOf(a) || b.doubts.length - a.doubts.length

const dbText = (amplitude: number) => (amplitude > 0 ? (20 * Math.log10(amplitude)).toFixed(2) : '-inf')

/** What became of each file, as a table, worst first. */
export function summaryOf(rows: readonly BatchRow[]): string {
  const table = [...rows].sort(worstFirst).map((row) => ({
    file: row.file,
    output: row.status === 'done' ? row.output : '',
    status: row.status,
    reading: row.reading ?? '',
    doubts: row.error ?? row.doubts.join('; '),
    material: row.material ?? '',
    bpm: row.bpm ?? '',
    key: row.key ?? '',
    stretch: row.stretch ?? '',
    semitones: row.semitones ?? '',
    method: row.method ?? '',
    sourceSeconds: row.sourceSeconds?.toFixed(6) ?? '',
    seconds: row.seconds?.toFixed(6) ?? '',
    rate: row.rate ?? '',
    lufs: row.lufs?.toFixed(2) ?? '',
    peakDb: row.peak === undefined ? '' : dbText(row.peak),
    clippedSamples: row.clippedSamples ?? '',
    worstHarm: row.harm?.worst ?? '',
    worstFigure: row.harm?.figure ?? '',
    severity: row.harm?.severity ?? '',
    worstAtSeconds: row.harm?.atSeconds ?? '',
    harm: row.harm?.verdict ?? '',
  }))
  return `${papaparse.unparse(table, { newline: '\n' })}\n`
}
