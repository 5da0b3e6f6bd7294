import { asSource, fileBase, methods, planOf, type Recipe } from '../../core'
import { partFacts, recipeOf, type Source } from '../../session'
import { chartColours } from '../common/chartColours'
import { chartSvg } from '../common/EChart'
import { channelText, kindText, rateText, timeText } from '../common/formats'
import { saveFile } from '../common/saveFile'
import { heardSound, laneGains } from '../session/hear/listening'
import { analysisOf } from '../session/know/analyses'
import { renderKeyOf } from '../session/render/renders'
import { pool } from '../session/state/engine'
import { notify, tell } from '../session/state/notices'
import { store } from '../session/state/store'
import { sweepOf } from '../session/try/sweeps'
import { chartHeight, sweepOption } from '../sweep/chart'
import { sweepModel } from '../sweep/model'
import { comparedKinds, comparisonHeight, comparisonOption } from './charts'
import { dataUrl } from './dataUrl'
import { type Report, type ReportClip, type ReportVariant, reportHtml } from './html'
import { clipPart, targetText } from './parts'

/** Writes a comparison as a page: renders the clips, draws the charts, hands the file to the browser's downloads. */

/** charts of a page that is read in either theme stand on their own light ground */
const CHART_THEME = 'paper'
const CHART_WIDTH = 900

const { getState, setState } = store
const running = new Map<string, AbortController>()

/** By this name a source's report is shown among the exports on their way. */
export const reportId = (source: Source) => `report ${source.id}`

export async function writeReport(source: Source) {
  const loaded = heardSound(source)
  const facts = partFacts(source)
  if (!loaded || !facts || running.has(source.id)) return
  const stop = new AbortController()
  running.set(source.id, stop)
  const name = `${fileBase(source.name)}_comparison.html`
  const show = (progress: number) =>
    setState((state) => ({ exports: { ...state.exports, [reportId(source)]: { name, progress } } }))
  show(0)
  try {
    const { sound } = loaded.decoded
    const { trials, renders, outlook } = getState()
    const measured = source.variants.filter((variant) => {
      const trial = trials[variant.id]
      return (
        trial?.status === 'done' &&
        trial.trial &&
        trial.key === renderKeyOf(source, variant) &&
        renders[variant.id]?.facts
      )
    })
    if (measured.length === 0) {
      notify({ tone: 'trouble', text: 'Nothing is measured yet: a report follows as soon as one variant is.' })
      return
    }
    const part = clipPart(source, facts.frames, facts.sampleRate)
    const gains = laneGains(getState(), source)
    let done = 0
    const clipOf = async (recipe: Recipe | undefined, gain: number): Promise<ReportClip> => {
      const map = recipe && planOf(recipe, { frames: facts.frames, sampleRate: facts.sampleRate }).map
      const from = map ? Math.round(map.outputAt(asSource(part.start))) : part.start
      const to = map ? Math.round(map.outputAt(asSource(part.end))) : part.end
      const analysis = recipe ? await analysisOf(source, sound, recipe) : {}
      const { blob, overview } = await pool.run<'clip'>(
        { kind: 'clip', sound, recipe, analysis, from, to, gain },
        { signal: stop.signal, rank: 0 },
      )
      const url = await dataUrl(blob)
      show(++done / (measured.length + 1))
      return { url, overview }
    }
    const reference = await clipOf(undefined, gains[0] ?? 1)
    const variants: ReportVariant[] = []
    for (const variant of measured) {
      const recipe = recipeOf(source, variant)
      const measurement = trials[variant.id]?.trial?.measurement
      const result = renders[variant.id]?.facts
      if (!measurement || !result) continue
      variants.push({
        letter: variant.letter,
        recipe,
        measurement,
        seconds: result.frames / facts.sampleRate,
        samples: result.frames,
        loudness: result.loudness,
        peak: result.peak,
        clip: await clipOf(recipe, gains[1 + source.variants.indexOf(variant)] ?? 1),
      })
    }
    const sweepChart = await drawnSweep(source)
    const report: Report = {
      source: source.name,
      file: source.file,
      sampleRate: facts.sampleRate,
      frames: facts.frames,
      facts: `${timeText(facts.frames / facts.sampleRate)}, ${rateText(facts.sampleRate)}, ${channelText(facts.channels)}, ${kindText(facts)}`,
      target: targetText(source),
      date: new Date().toLocaleDateString('en-GB', { year: 'numeric', month: 'long', day: 'numeric' }),
      reference,
      clipFrom: part.start / facts.sampleRate,
      clipTo: part.end / facts.sampleRate,
      matched: outlook.matched,
      variants,
      lanes: chartColours(CHART_THEME).lanes,
      comparisonChart: await drawnComparison(variants),
      ...(sweepChart && { sweepChart }),
      blind: source.blind.map(
        ({ mode, rounds, lanes, chance }) =>
          `${mode}, ${rounds} ${rounds === 1 ? 'round' : 'rounds'}: ${lanes.map((lane) => `${lane.name} ${lane.score}`).join(', ')}${chance === undefined ? '' : ` (by chance alone: ${(100 * chance).toPrecision(2)} %)`}`,
      ),
    }
    saveFile(new Blob([reportHtml(report)], { type: 'text/html' }), name)
    notify({ tone: 'plain', text: `${name} written: it opens in any browser, without a network` })
  } catch (error) {
    if (!stop.signal.aborted) tell(error)
  } finally {
    running.delete(source.id)
    setState(({ exports: { [reportId(source)]: _, ...exports } }) => ({ exports }))
  }
}

export function cancelReport(source: Source) {
  running.get(source.id)?.abort()
}

function drawnComparison(variants: readonly ReportVariant[]): Promise<string> {
  const compared = variants.map(({ letter, recipe, measurement }) => ({
    letter,
    methodId: recipe.methodId,
    joins: recipe.joins,
    measurement,
  }))
  const colours = chartColours(CHART_THEME)
  const option = comparisonOption(compared, colours)
  return chartSvg(
    { ...option, backgroundColor: colours.well },
    CHART_WIDTH,
    comparisonHeight(comparedKinds(compared).length),
  )
}

async function drawnSweep(source: Source): Promise<Report['sweepChart']> {
  const points = sweepOf(getState(), source)?.points.filter(({ axis }) => axis === 'length') ?? []
  if (points.length === 0) return undefined
  const rows = methods.map(({ id }) => id).filter((id) => points.some((point) => point.methodId === id))
  const colours = chartColours(CHART_THEME)
  const option = sweepOption(sweepModel('length', rows, points, 'worst'), colours, { left: 120, named: true })
  return {
    svg: await chartSvg({ ...option, backgroundColor: colours.well }, CHART_WIDTH, chartHeight(rows.length, 200)),
    what: `The worst harm by length and method, at the source's pitch: ${points.length} points measured. Brackets stand where it gets clear.`,
  }
}
