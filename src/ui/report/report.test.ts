import { describe, expect, it } from 'vitest'
import { artefactKinds, createOverviewBuilder, type Measurement, type Recipe } from '../../core'
import { type Artefact, type ArtefactId, unmeasured } from '../../core/measure/artefacts'
import { recipe } from '../../core/testing/recipes'
import { escaped } from '../../host/markup'
import { PLAIN_TARGET, readRecipeFile } from '../../session'
import { methodLook } from '../common/looks'
import { comparisonOption } from './charts'
import { commandOf, type Report, type ReportClip, reportHtml, ribbonSvg, waveSvg } from './html'
import { mixReportHtml } from './mixHtml'
import { clipPart, targetText } from './parts'

const figure = (id: ArtefactId, value: number, at: number[] = []): Artefact => ({
  ...unmeasured(id),
  measured: true,
  value,
  places: at.map((sourceFrame) => ({ sourceFrame, spanFrames: 480, outputFrame: sourceFrame, value })),
})
const measurement = (...artefacts: Artefact[]): Measurement => ({ unlikenessDb: 1, artefacts })

function overview(samples: Float32Array) {
  const builder = createOverviewBuilder(samples.length)
  builder.add([samples], samples.length)
  return builder.finish()
}

const clip = (url: string): ReportClip => ({ url, overview: overview(new Float32Array(4800).fill(0.5)) })

const variant = (letter: string, made: Recipe, harm: Measurement) => ({
  letter,
  recipe: made,
  measurement: harm,
  seconds: 12.5,
  samples: 600_000,
  loudness: -19.26,
  peak: 0.5,
  clip: clip(`data:audio/wav;base64,${letter}`),
})

const report: Report = {
  source: 'Rope <winch> & "co"',
  file: "rope winch's.wav",
  sampleRate: 48_000,
  frames: 480_000,
  facts: '10 s, stereo',
  target: '1.25 × length',
  date: '25 November 2026',
  reference: clip('data:audio/wav;base64,R'),
  clipFrom: 0,
  clipTo: 6.4,
  matched: true,
  variants: [
    variant('A', recipe('splice', { stretch: 1.25 }), measurement(figure('smear', 0.2), figure('detune', 2))),
    variant(
      'B',
      recipe('grain', { stretch: 1.25 }),
      measurement(figure('smear', 16, [48_000, 240_000]), unmeasured('detune')),
    ),
  ],
  lanes: Array.from({ length: 9 }, (_, n) => `#00000${n}`),
  comparisonChart: '<svg id="comparison"></svg>',
  sweepChart: { svg: '<svg id="sweep"></svg>', what: '18 points' },
  blind: ['ABX, 10 rounds'],
}

describe('a report', () => {
  const html = reportHtml(report)
  it('stands alone: it fetches nothing and runs nothing', () => {
    for (const [, url] of html.matchAll(/(?:src|href)="([^"]*)"/g)) expect(url).toMatch(/^data:/)
    expect(html).not.toMatch(/<script|url\(|@import|https?:/)
  })
  it('has every variant with its clip, its verdict and its recipe, and the reference', () => {
    for (const letter of ['R', 'A', 'B']) expect(html).toContain(`src="data:audio/wav;base64,${letter}"`)
    expect(html).toContain('Severe smear (16.0 dB)')
    expect(html).toContain('600 000 samples')
    for (const one of report.variants) expect(html).toContain(escaped(JSON.stringify(one.recipe, null, 2)))
  })
  it('has every figure with its grade, and says where there was nothing to measure', () => {
    expect(html).toMatch(/<td data-grade="severe">16\.0 dB/)
    expect(html).toMatch(/<td data-grade="not audible">0\.2 dB/)
    expect(html).toMatch(/2\.0 cents.*<\/td><td class="soft">–<\/td>/)
    for (const kind of artefactKinds) expect(html).toContain(`<dt>${kind.label} `)
  })
  const colourOf = (methodId = '') => `#00000${methodLook(methodId)}`
  it('says which mark of the chart is whose, by shape, colour and letter', () => {
    for (const [letter, colour] of [
      ['A', colourOf(report.variants[0]?.recipe.methodId)],
      ['B', colourOf(report.variants[1]?.recipe.methodId)],
    ])
      expect(html).toMatch(new RegExp(`<path d="M[^"]+" fill="${colour}"/></svg> <b>${letter}</b>`))
  })
  it('carries names as text, whatever is in them', () => {
    expect(html).toContain('Rope &lt;winch&gt; &amp; &quot;co&quot;')
    expect(html).not.toContain('<winch>')
    expect(escaped(`<a b='c'>&`)).toBe('&lt;a b=&#39;c&#39;&gt;&amp;')
  })
  it('leaves out what there is none of', () => {
    const { sweepChart: _, ...rest } = report
    const plain = reportHtml({ ...rest, blind: [] })
    expect(plain).not.toContain('Where each method breaks')
    expect(plain).not.toContain('Heard without names')
  })
})

describe('the command in a report', () => {
  it('says all that the recipe does and nothing that it does not', () => {
    expect(commandOf('a.wav', recipe('vocoder', { stretch: 1.5 }))).toBe(
      'zumbet render a.wav out.wav --method vocoder --stretch 1.5',
    )
    const pins = [{ source: 0.5, own: 0.52 }]
    expect(commandOf('a.wav', recipe('splice', { pins }))).toBe(
      `echo '{"pins":[{"source":0.5,"to":0.52}]}' > pins.json\nzumbet time a.wav out.wav --pins pins.json --method splice --stretch 1`,
    )
    const full = recipe('grain', {
      stretch: 2,
      pitchSemitones: -3,
      formants: 'shift',
      formantSemitones: 2,
      holdPercent: 40,
      settings: { grainMs: 80 },
      seed: 7,
    })
    expect(commandOf("it's here.wav", full)).toBe(
      "zumbet render 'it'\\''s here.wav' out.wav --method grain --stretch 2 --semitones -3 --formants shift --formant-semitones 2 --hold-attacks 40 --set grainMs=80 --seed 7",
    )
  })

  it('goes as the recipe itself where no flag says what it does', () => {
    const joined = recipe('splice', { stretch: 1.3, joins: [{ source: 1.5, methodId: 'vocoder', settings: {} }] })
    const [first, second] = commandOf('a.wav', joined).split('\n') as [string, string]
    const text = /^echo '(.*)' > recipe\.json$/.exec(first)?.[1] ?? ''
    expect(readRecipeFile(text, 'recipe.json').recipe).toEqual(joined)
    expect(second).toBe('zumbet render a.wav out.wav --recipe recipe.json')
  })
})

describe('drawings in a report', () => {
  it('show harm where it lies, in its row, as tall as it is bad', () => {
    const svg = ribbonSvg([figure('smear', 16, [240_000])], 480_000)
    const [rect] = [...svg.matchAll(/<rect x="([\d.]+)" y="([\d.]+)" width="([\d.]+)" height="([\d.]+)"/g)]
    expect(Number(rect?.[1])).toBeCloseTo(450, -1)
    expect(Number(rect?.[2])).toBeLessThan(9)
    const slight = ribbonSvg([figure('smear', 1.5, [240_000])], 480_000)
    const height = (text: string) => Number(/height="([\d.]+)"\/>/.exec(text)?.[1])
    expect(height(slight)).toBeLessThan(height(svg))
    expect(ribbonSvg([figure('smear', 0.1, [9])], 480_000)).not.toContain('<rect')
  })
  it('keep a waveform inside its picture', () => {
    const svg = waveSvg(overview(Float32Array.from({ length: 9600 }, (_, i) => 2 * Math.sin(i))))
    const points = /points="([^"]*)"/.exec(svg)?.[1]?.split(' ') ?? []
    expect(points.length).toBe(900)
    for (const point of points) {
      const y = Number(point.split(',')[1])
      expect(y).toBeGreaterThanOrEqual(0)
      expect(y).toBeLessThanOrEqual(56)
    }
  })
  it('put every variant on the common scale, the worst kind first', () => {
    const colours = { text: '#000000', soft: '#000000', rule: '#000000', lanes: Array(9).fill('#111111') as string[] }
    const compared = report.variants.map(({ letter, recipe: { methodId }, measurement: harm }) => ({
      letter,
      methodId,
      measurement: harm,
    }))
    const { series, yAxis } = comparisonOption(compared, colours) as {
      series: { id: string; data: (number | null)[][] }[]
      yAxis: { data: string[] }
    }
    expect(yAxis.data).toEqual(['Smear', 'Detune'])
    expect(series.map(({ id }) => id)).toEqual(['A', 'B'])
    expect(series[1]?.data[0]?.[0]).toBeGreaterThan(3)
    expect(series[1]?.data[1]?.[0]).toBeNull()
  })
})

describe('what a report is about', () => {
  it('is the selection, or the beginning, as long as a page can carry', () => {
    const target = { ...PLAIN_TARGET, stretch: 2 }
    expect(clipPart({ target }, 480_000, 48_000)).toEqual({ start: 0, end: 192_000 })
    expect(clipPart({ target, selection: { start: 48_000, end: 96_000 } }, 480_000, 48_000)).toEqual({
      start: 48_000,
      end: 96_000,
    })
    // of a far stretch at least a quarter of a second of the source
    expect(clipPart({ target: { ...target, stretch: 200 } }, 480_000, 48_000)).toEqual({ start: 0, end: 12_000 })
  })
  it('says its target in words', () => {
    expect(targetText({ target: PLAIN_TARGET })).toBe('1 × length, 0 st pitch')
    expect(
      targetText({ target: { ...PLAIN_TARGET, stretch: 0.8, pitchSemitones: -3, formants: 'keep', holdPercent: 50 } }),
    ).toBe('0.8 × length, −3 st pitch, formants kept, attacks held 50 %')
  })
})

describe('a report of a timeline', () => {
  const part = (source: string, harm: Measurement | undefined, alike = 1) => ({
    source,
    row: 'Winches & chains',
    place: 'bar 1.1, 0:00.000 to 0:04.000',
    recipe: recipe('splice', { stretch: 0.9, pitchSemitones: -2 }),
    stretches: [0.9, 0.9] as const,
    strain: 'slightly shortened',
    sampleRate: 48_000,
    frames: 480_000,
    measurement: harm,
    ...(!harm && { trouble: 'The file is gone. Bring it in again.' }),
    alike,
  })
  const html = mixReportHtml({
    title: 'Timeline',
    facts: '3 parts, 96 BPM',
    date: '25 November 2026',
    clip: clip('data:audio/mpeg;base64,M'),
    clipText: 'All of it',
    parts: [
      part('Rope <winch>', measurement(figure('smear', 16, [48_000])), 3),
      part('Harmonium', measurement(figure('detune', 1))),
      part('Gull', undefined),
    ],
  })
  it('stands alone, with the mix to listen to', () => {
    for (const [, url] of html.matchAll(/(?:src|href)="([^"]*)"/g)) expect(url).toMatch(/^data:/)
    expect(html).not.toMatch(/<script|url\(|@import|https?:/)
  })
  it('has every part with its figures, its ribbon by named rows and its recipe, and says what could not be measured', () => {
    expect(html).toContain('Rope &lt;winch&gt;')
    expect(html).toContain('and 2 alike')
    expect(html).toContain('Severe smear (16.0 dB)')
    expect(html.match(/Where harm sits, in rows: attacks, tones, noise, level/gi)).toHaveLength(2)
    expect(html).toContain('Not measured: The file is gone. Bring it in again.')
    expect(html).toContain('0.9 ×')
    expect(html).toContain('−2 st')
    expect(html.indexOf('Rope &lt;winch')).toBeLessThan(html.indexOf('Harmonium'))
  })
})
