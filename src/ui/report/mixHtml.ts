import { harmText, type Measurement, methodText, type Recipe, verdictOf } from '../../core'
import { escaped } from '../../host/markup'
import { clipHtml, meaningsHtml, pageHtml, type ReportClip, ribbonSvg } from './html'

/** What a timeline does to each of its sounds, as one page that stands alone. Nothing in it is fetched, nothing runs. */

export interface MixReportPart {
  readonly source: string
  readonly row: string
  /** where it lies, in words: bars and time */
  readonly place: string
  readonly recipe: Recipe
  /** the stretches at which it is heard, least and most */
  readonly stretches: readonly [number, number]
  /** what is strained about it, in words */
  readonly strain: string
  readonly sampleRate: number
  /** frames of its source */
  readonly frames: number
  /** undefined where it could not be measured, and why */
  readonly measurement: Measurement | undefined
  readonly trouble?: string
  /** how many parts are alike in source, recipe and stretch, itself among them */
  readonly alike: number
}

export interface MixReport {
  readonly title: string
  /** length, tempo, loudness, peak, in words */
  readonly facts: string
  readonly date: string
  readonly clip: ReportClip
  readonly clipText: string
  /** worst first */
  readonly parts: readonly MixReportPart[]
}

const times = (value: number) => `${Number(value.toFixed(3))} ×`

export function mixReportHtml(report: MixReport): string {
  const { title, parts } = report
  return pageHtml(
    { title, about: report.facts, facts: report.date },
    `<section>
<h2>The mix</h2>
${clipHtml(report.clip, 'the mix')}
<p class="note">${escaped(report.clipText)}</p>
</section>
<section>
<h2>All parts, the worst first</h2>
<table>
<thead><tr><th scope="col">Part</th><th scope="col" class="words">Where</th><th scope="col" class="words">Method</th><th scope="col">Length</th><th scope="col">Pitch</th><th scope="col">Harm, for order only</th></tr></thead>
<tbody>
${parts.map(rowHtml).join('\n')}
</tbody></table>
</section>
<section>
<h2>What happens to each</h2>
${parts.map(partHtml).join('\n')}
<p class="note">Each was measured by itself, at the mean stretch at which it is heard, in the part of it that tells most.</p>
</section>
${meaningsHtml()}`,
  )
}

const pitchText = (semitones: number) =>
  semitones === 0 ? '–' : `${semitones > 0 ? '+' : '−'}${Math.abs(Number(semitones.toFixed(2)))} st`

function stretchText([least, most]: readonly [number, number]): string {
  return most / least < 1.005 ? times(Math.sqrt(least * most)) : `${times(least)} to ${times(most)}`
}

function rowHtml({ source, row, place, recipe, stretches, measurement, alike }: MixReportPart): string {
  const count = alike > 1 ? ` <span class="soft">and ${alike - 1} alike</span>` : ''
  return `<tr><th scope="row">${escaped(source)}${count}<br><span class="soft">${escaped(row)}</span></th><td class="words">${escaped(place)}</td><td class="words">${escaped(methodText(recipe))}</td><td>${stretchText(stretches)}</td><td>${pitchText(recipe.pitchSemitones)}</td><td>${measurement ? harmText(measurement) : '–'}</td></tr>`
}

function partHtml(part: MixReportPart): string {
  const { source, place, recipe, measurement, sampleRate, frames, strain, trouble } = part
  const said = measurement ? verdictOf(measurement, sampleRate) : `Not measured: ${trouble ?? 'it is not heard'}`
  return `<div class="variant">
<p><b>${escaped(source)}</b> <span class="soft">${escaped(place)} · ${escaped(methodText(recipe))} · ${escaped(strain)}</span></p>
<p>${escaped(said)}</p>
${measurement ? ribbonSvg(measurement.artefacts, frames) : ''}
<details><summary>Recipe</summary><pre>${escaped(JSON.stringify(recipe, null, 2))}</pre></details>
</div>`
}
