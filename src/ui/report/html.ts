import {
  type Artefact,
  artefactKinds,
  figureOf,
  findingOf,
  foundFigureOf,
  gradeOfArtefact,
  harmText,
  type Measurement,
  methodText,
  type Overview,
  type Recipe,
  verdictOf,
} from '../../core'
import { escaped } from '../../host/markup'
import { GRADE_STEPS, GROUPS, marksOf } from '../bench/harm/marks'
import { countText, dbText, peakText } from '../common/formats'
import { methodLook, SHAPES } from '../common/looks'
import { comparedKinds } from './charts'

/** A comparison as one page that stands alone: figures, charts, clips, recipes. Nothing in it is fetched, nothing runs. */

export interface ReportVariant {
  readonly letter: string
  readonly recipe: Recipe
  readonly measurement: Measurement
  readonly seconds: number
  readonly samples: number
  /** LUFS and largest absolute sample of the whole result */
  readonly loudness: number
  readonly peak: number
  readonly clip: ReportClip
}

export interface ReportClip {
  /** a data URL */
  readonly url: string
  readonly overview: Overview
}

export interface Report {
  readonly source: string
  readonly file: string
  readonly sampleRate: number
  readonly frames: number
  readonly facts: string
  /** the target in words */
  readonly target: string
  readonly date: string
  readonly reference: ReportClip
  /** source seconds that the clips hold */
  readonly clipFrom: number
  readonly clipTo: number
  readonly matched: boolean
  readonly variants: readonly ReportVariant[]
  /** colours of the marks, by look */
  readonly lanes: readonly string[]
  /** SVG text, on a ground of its own */
  readonly comparisonChart: string
  readonly sweepChart?: { readonly svg: string; readonly what: string }
  readonly blind: readonly string[]
}

export function reportHtml(report: Report): string {
  const { source, variants } = report
  return pageHtml(
    { title: source, about: report.target, facts: `${report.facts} · ${report.date}` },
    `<section>
<h2>What each did</h2>
<div class="variant">
<p><b>Reference</b> <span class="soft">${escaped(report.file)}, as it came</span></p>
${clipHtml(report.reference, 'the reference')}
</div>
${variants.map((variant) => variantHtml(report, variant)).join('\n')}
<p class="note">Clips hold ${report.clipFrom.toFixed(2)} to ${report.clipTo.toFixed(2)} s of the source${report.matched ? ', brought to one loudness' : ', at their own level'}.
Ribbons show all of the source, from left to right: attacks, tones, noise, level; the taller, the worse.</p>
</section>
<section>
<h2>Figures</h2>
${tableHtml(variants)}
</section>
<section>
<h2>All kinds of harm on one scale</h2>
<div class="chart">
<p class="legend">${variants.map((variant) => legendOf(variant, report.lanes)).join('')}</p>
${report.comparisonChart}
</div>
</section>
${
  report.sweepChart
    ? `<section>
<h2>Where each method breaks</h2>
<p class="soft">${escaped(report.sweepChart.what)}</p>
<div class="chart">${report.sweepChart.svg}</div>
</section>`
    : ''
}
${report.blind.length > 0 ? `<section><h2>Heard without names</h2><ul>${report.blind.map((line) => `<li>${escaped(line)}</li>`).join('')}</ul></section>` : ''}
${meaningsHtml()}
<section>
<h2>Recipes</h2>
${variants
  .map(
    ({ letter, recipe }) => `<details><summary>${letter} · ${escaped(methodText(recipe))}</summary>
<pre>${escaped(JSON.stringify(recipe, null, 2))}</pre>
<p class="soft">From a command line:</p><pre>${escaped(commandOf(report.file, recipe))}</pre></details>`,
  )
  .join('\n')}
</section>`,
  )
}

/** A page that stands alone. `about` is what makes it this one, for the title of its window too. */
export function pageHtml(
  { title, about, facts }: { readonly title: string; readonly about: string; readonly facts: string },
  sections: string,
): string {
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${escaped(title)}: ${escaped(about)}</title>
<style>${STYLE}</style>
</head>
<body>
<header>
<h1>${escaped(title)}</h1>
<p class="soft">${escaped(about)} · ${escaped(facts)}</p>
</header>
<main>
${sections}
</main>
</body>
</html>
`
}

/** Every kind of harm: from where on it is heard, how it sounds. */
export const meaningsHtml = (): string => `<section>
<h2>What the figures mean</h2>
<dl>
${artefactKinds
  .map(
    (kind) =>
      `<dt>${escaped(kind.label)} <span class="soft">${escaped(kind.unit)}, audible from ${kind.audibleFrom}, clear from ${kind.clearFrom}, severe from ${kind.severeFrom}</span></dt><dd>${escaped(kind.sounds)} <span class="soft">${escaped(kind.threshold)}</span></dd>`,
  )
  .join('\n')}
</dl>
</section>`

/** A mark as it stands in the chart, with the letter and the method that it is of. */
function legendOf({ letter, recipe }: ReportVariant, lanes: readonly string[]): string {
  const look = methodLook(recipe.methodId)
  const mark = `<svg viewBox="0 0 24 24" width="12" height="12" aria-hidden="true"><path d="${SHAPES[look]}" fill="${lanes[look]}"/></svg>`
  return `<span>${mark} <b>${letter}</b> ${escaped(methodText(recipe))}</span>`
}

/** The command that makes the same result, with the files that it reads. */
export function commandOf(file: string, recipe: Recipe): string {
  const quoted = /^[\w./-]+$/.test(file) ? file : `'${file.replace(/'/g, "'\\''")}'`
  // what no flag says goes as the recipe itself
  if (recipe.joins || recipe.prepare || recipe.filter)
    return `echo '${JSON.stringify(recipe)}' > recipe.json\nzumbet render ${quoted} out.wav --recipe recipe.json`
  const flags = [
    `--method ${recipe.methodId}`,
    `--stretch ${recipe.stretch}`,
    recipe.pitchSemitones !== 0 && `--semitones ${recipe.pitchSemitones}`,
    recipe.formants !== 'move' && `--formants ${recipe.formants}`,
    recipe.formantSemitones && `--formant-semitones ${recipe.formantSemitones}`,
    recipe.holdPercent && `--hold-attacks ${recipe.holdPercent}`,
    ...Object.entries(recipe.settings).map(([name, value]) => `--set ${name}=${value}`),
    recipe.seed !== 1 && `--seed ${recipe.seed}`,
  ].filter(Boolean)
  if (!recipe.pins && !recipe.speedCurve) return `zumbet render ${quoted} out.wav ${flags.join(' ')}`
  // timing goes into files of its own, which the command reads
  const pins = recipe.pins && { pins: recipe.pins.map(({ source, own }) => ({ source, to: own })) }
  const written = [
    pins && `echo '${JSON.stringify(pins)}' > pins.json`,
    recipe.speedCurve && `echo '${JSON.stringify(recipe.speedCurve)}' > curve.json`,
  ].filter(Boolean)
  const timed = [pins && '--pins pins.json', recipe.speedCurve && '--speed-curve curve.json'].filter(Boolean)
  return [...written, `zumbet time ${quoted} out.wav ${[...timed, ...flags].join(' ')}`].join('\n')
}

export function clipHtml({ url, overview }: ReportClip, name: string): string {
  return `${waveSvg(overview)}
<audio controls preload="none" src="${url}" aria-label="Clip of ${escaped(name)}"></audio>`
}

function variantHtml(report: Report, variant: ReportVariant): string {
  const { letter, recipe, measurement, clip } = variant
  const level = Number.isFinite(variant.loudness) ? `${dbText(variant.loudness)} LUFS` : 'silent'
  return `<div class="variant">
<p><b class="letter">${letter}</b> <b>${escaped(methodText(recipe))}</b>
<span class="soft">${variant.seconds.toFixed(3)} s · ${countText(variant.samples)} samples · ${level} · peak ${peakText(variant.peak)} · harm: ${harmText(measurement)}</span></p>
<p>${escaped(verdictOf(measurement, report.sampleRate))}</p>
${clipHtml(clip, `variant ${letter}`)}
${ribbonSvg(measurement.artefacts, report.frames)}
</div>`
}

const WAVE = { width: 900, height: 56 }

/** A waveform as a shape. */
export function waveSvg(overview: Overview): string {
  const { width, height } = WAVE
  const bins = overview.low.length
  const top: string[] = []
  const bottom: string[] = []
  const y = (value: number) => (height / 2 - Math.max(-1, Math.min(1, value)) * (height / 2 - 1)).toFixed(1)
  for (let x = 0; x < width; x += 2) {
    const from = Math.floor((x / width) * bins)
    const to = Math.max(from + 1, Math.floor(((x + 2) / width) * bins))
    let low = 0
    let high = 0
    for (let bin = from; bin < Math.min(bins, to); bin++) {
      low = Math.min(low, overview.low[bin] as number)
      high = Math.max(high, overview.high[bin] as number)
    }
    top.push(`${x},${y(high)}`)
    bottom.push(`${x},${y(low)}`)
  }
  return `<svg class="wave" viewBox="0 0 ${width} ${height}" preserveAspectRatio="none" role="img" aria-label="Waveform of the clip"><polygon points="${top.join(' ')} ${bottom.reverse().join(' ')}"/></svg>`
}

const ROW = 12

/** Where harm lies in the source, in the rows of the bench. */
export function ribbonSvg(artefacts: readonly Artefact[], frames: number): string {
  const { width } = WAVE
  const height = ROW * GROUPS.length
  const marks = marksOf(artefacts).map((mark) => {
    const row = GROUPS.findIndex(({ id }) => id === mark.group)
    const left = (mark.start / frames) * width
    const right = (mark.end / frames) * width
    const tall = (GRADE_STEPS[mark.grade] / 3) * (ROW - 2)
    return `<rect x="${left.toFixed(1)}" y="${(ROW * (row + 1) - 1 - tall).toFixed(1)}" width="${Math.max(2, right - left).toFixed(1)}" height="${tall.toFixed(1)}"/>`
  })
  const names = GROUPS.map(({ label }) => `<span>${label}</span>`)
  const rules = GROUPS.map((_, row) => `<path d="M0 ${ROW * (row + 1) - 0.5}h${width}"/>`)
  return `<div class="rows"><div class="names" aria-hidden="true">${names.join('')}</div><svg class="ribbon" viewBox="0 0 ${width} ${height}" preserveAspectRatio="none" role="img" aria-label="${marks.length} places of harm over the source"><g class="rules">${rules.join('')}</g>${marks.join('')}</svg></div><p class="soft">Where harm sits, in rows: ${GROUPS.map(({ label }) => label).join(', ')}. Taller is worse.</p>`
}

function tableHtml(variants: readonly ReportVariant[]): string {
  const kinds = comparedKinds(
    variants.map(({ letter, recipe, measurement }) => ({ letter, methodId: recipe.methodId, measurement })),
  )
  const cell = ({ measurement }: ReportVariant, id: (typeof kinds)[number]['id']) => {
    const artefact = measurement.artefacts.find((one) => one.id === id)
    if (!artefact?.measured) return `<td class="soft">${artefact?.short ? 'too short' : '–'}</td>`
    const grade = gradeOfArtefact(artefact)
    const finding = findingOf(artefact)
    return `<td data-grade="${grade}">${escaped(finding ? foundFigureOf(finding) : figureOf(artefact))}<br><span class="soft">${grade}</span></td>`
  }
  return `<table>
<thead><tr><th scope="col">Harm</th>${variants.map(({ letter, recipe }) => `<th scope="col">${letter} ${escaped(methodText(recipe))}</th>`).join('')}</tr></thead>
<tbody>
${kinds.map((kind) => `<tr><th scope="row">${escaped(kind.label)}</th>${variants.map((variant) => cell(variant, kind.id)).join('')}</tr>`).join('\n')}
<tr><th scope="row">All in one number, for order only</th>${variants.map(({ measurement }) => `<td>${harmText(measurement)}</td>`).join('')}</tr>
</tbody></table>`
}

const STYLE = `
:root{color-scheme:light dark;--ground:#fffdf8;--text:#1b2126;--soft:#4c555c;--rule:#ddd5c6;--harm:#c2321a}
@media (prefers-color-scheme:dark){:root{--ground:#0d1217;--text:#eef0ec;--soft:#a9b4bc;--rule:#2b3742;--harm:#ff6f59}}
body{margin:0 auto;max-width:960px;padding:28px 24px 60px;background:var(--ground);color:var(--text);font:15px/1.45 system-ui,sans-serif;font-variant-numeric:tabular-nums}
h1{margin:0;font-size:30px;letter-spacing:-.01em}h2{margin:34px 0 10px;font-size:18px}p{margin:4px 0}
.soft,.note{color:var(--soft);font-size:13.5px}.variant{padding:12px 0;border-top:1px solid var(--rule)}
.letter{display:inline-block;min-width:1.6em;padding:0 .3em;border:1px solid currentColor;border-radius:4px;text-align:center}
.wave,.rows{display:block;width:calc(100% - 58px);margin:6px 0 2px 58px}.wave{height:56px}.wave polygon{fill:var(--soft)}
.rows{position:relative}.rows .names{position:absolute;left:-58px;font-size:11px;line-height:12px;color:var(--soft)}.rows .names span{display:block}
.ribbon{display:block;width:100%;height:48px}.ribbon rect{fill:var(--harm)}.ribbon .rules{stroke:var(--rule);fill:none}
audio{width:100%;height:36px;margin:4px 0}
table{width:100%;border-collapse:collapse}th,td{padding:5px 8px;border-top:1px solid var(--rule);text-align:right;font-weight:400}
th:first-child,.words{text-align:left!important}thead th{font-weight:650;border-top:0}td[data-grade=clear]{font-weight:650}td[data-grade=severe]{font-weight:750;color:var(--harm)}
.chart{padding:10px 12px;border-radius:6px;background:#fffdf8;color:#1b2126}.legend span{margin-right:18px;white-space:nowrap}svg{max-width:100%;height:auto}.wave,.ribbon{height:revert-layer}.wave{height:56px}.ribbon{height:48px}
dt{margin-top:10px;font-weight:650}dt .soft{font-weight:400}dd{margin:0}pre{overflow:auto;padding:10px;border:1px solid var(--rule);border-radius:4px;font-size:13px}
details{margin:8px 0}summary{cursor:pointer}
`
