import { type Analysis, MEASURE_VERSION, mayBeCut, type Progress, planOf, type Recipe, type Trial } from '../../../core'
import { isInMemory, type JobResults, KEPT_SECONDS, type Sound, sharedSamples, soundInMemory } from '../../../engine'
import { contentKey, readTrial, recipeOf, type Source, type Variant } from '../../../session'
import { demoTrial } from '../files/demo'
import { heardSound } from '../hear/listening'
import { isKnown, knownSoFar } from '../know/analyses'
import { pool, trialRows } from '../state/engine'
import { tell } from '../state/notices'
import { activeLane, type RenderState, type State, selectedSource, store, type TrialState } from '../state/store'
import { makePieces } from './pieces'

/** Drawing and measuring of variants in the background, as the target and the settings change. */

/** let a drag settle, and let the ear go first */
const RENDER_PAUSE_MS = 200
/** longer results are drawn only when asked for */
const RENDER_UNASKED_SECONDS = 20 * 60

/** of a result too long to be kept, this much is measured */
const TELLING_SECONDS = 60

const { getState, setState } = store
const renderJobs = new Map<string, { key: string; stop: AbortController }>()

/** What a drawing is of. */
export const renderKey = (source: Source, recipe: Recipe) => contentKey(source, recipe)

/** The same for a variant as it is now. */
export const renderKeyOf = (source: Source, variant: Variant) => renderKey(source, recipeOf(source, variant))

/** Begin what is missing, stop what is no longer wanted. */
export function syncRenders(state: State) {
  const source = selectedSource(state)
  const wanted = new Map<string, string>()
  // what is not looked at is not drawn: the timeline needs the time
  if (source && heardSound(source) && state.outlook.view !== 'timeline') {
    for (const variant of source.variants) {
      const recipe = recipeOf(source, variant)
      if (isKnown(state, source, recipe)) wanted.set(variant.id, renderKey(source, recipe))
    }
  }
  for (const [id, job] of renderJobs) {
    if (wanted.get(id) !== job.key) {
      job.stop.abort()
      renderJobs.delete(id)
    }
  }
  for (const [id, key] of wanted) {
    if (state.renders[id]?.key === key && (renderJobs.has(id) || !isUnfinished(state, id, key))) continue
    beginRender(id, key, RENDER_PAUSE_MS)
  }
}

/** Whether something of a lane was begun and did not end: its job is stopped where another source is looked at. */
function isUnfinished({ renders, trials }: State, variantId: string, key: string): boolean {
  const drawing = renders[variantId]?.status
  if (drawing === 'done') return trials[variantId]?.key === key && trials[variantId]?.status === 'running'
  return drawing === 'waiting' || drawing === 'running'
}

function beginRender(variantId: string, key: string, pauseMs: number, asked = false) {
  const source = selectedSource(getState())
  const variant = source?.variants.find((v) => v.id === variantId)
  const loaded = source && heardSound(source)
  if (!source || !variant || !loaded) return
  renderJobs.get(variantId)?.stop.abort()
  const recipe = recipeOf(source, variant)
  const { sound } = loaded.decoded
  const { map } = planOf(recipe, sound)
  if (!asked && map.outputFrames > RENDER_UNASKED_SECONDS * sound.sampleRate) {
    setRender(variantId, { key, status: 'held', progress: 0 })
    return
  }
  const job = { key, stop: new AbortController() }
  renderJobs.set(variantId, job)
  setRender(variantId, { key, status: 'waiting', progress: 0 })
  setTimeout(async () => {
    if (job.stop.signal.aborted) return
    const current = () => renderJobs.get(variantId) === job
    const readingKey = readingKeyOf(source)
    const measured = contentKey(source, MEASURE_VERSION, recipe)
    const { signal } = job.stop
    try {
      const known = (await keptTrial(measured)) ?? (source.origin === 'demo' ? await demoTrial(measured) : undefined)
      const heard = () => activeLane(getState(), source) === variantId
      const analysis = knownSoFar(getState(), source) ?? {}
      const keep = !known && isInMemory(sound)
      const order = { sound, recipe, analysis, frames: map.outputFrames, keep }
      const result = await draw(order, signal, heard() ? 2 : 3, (progress) => {
        if (current()) setRender(variantId, { key, status: 'running', progress })
      })
      if (!current()) return
      setRender(variantId, { key, status: 'done', progress: 1, facts: result.facts, factsRecipe: recipe })
      if (!known) setTrial(variantId, { key, status: 'running', progress: 0 })
      // all lanes are drawn before any is measured
      const trial =
        known ??
        (await pool.run<'measure'>(
          {
            kind: 'measure',
            sound,
            result: result.result,
            seconds: TELLING_SECONDS,
            recipe,
            analysis,
            readingKey,
          },
          {
            signal,
            rank: heard() ? 4 : 5,
            onProgress: ({ doneFrames, totalFrames }) => {
              if (current()) setTrial(variantId, { key, status: 'running', progress: doneFrames / totalFrames })
            },
          },
        ))
      if (!known) void trialRows.put(measured, trial).catch(tell)
      if (current()) setTrial(variantId, { key, status: 'done', progress: 1, trial })
    } catch (error) {
      if (!current()) return
      if (getState().renders[variantId]?.status === 'done') setTrial(variantId, { key, status: 'failed', progress: 0 })
      else setRender(variantId, { key, status: job.stop.signal.aborted ? 'cancelled' : 'failed', progress: 0, error })
    } finally {
      if (current()) renderJobs.delete(variantId)
    }
  }, pauseMs)
}

interface DrawOrder {
  readonly sound: Sound
  readonly recipe: Recipe
  readonly analysis: Analysis
  /** of the result */
  readonly frames: number
  /** hand out its samples, where they are not too many */
  readonly keep: boolean
}

/** Draw a result; a long one in its pieces, several at once. It is the same however many. */
async function draw(
  { sound, recipe, analysis, frames, keep }: DrawOrder,
  signal: AbortSignal,
  rank: number,
  show: (progress: number) => void,
): Promise<JobResults['render']> {
  const { sampleRate, channelCount } = sound
  if (!mayBeCut(frames, sampleRate)) {
    const onProgress = ({ doneFrames, totalFrames }: Progress) => show(doneFrames / totalFrames)
    return pool.run<'render'>({ kind: 'render', sound, recipe, analysis, keep }, { signal, rank, onProgress })
  }
  const pieces = await pool.run<'outline'>({ kind: 'outline', sound, recipe, analysis }, { signal, rank })
  const kept = keep && frames <= KEPT_SECONDS * sampleRate
  const into = kept ? Array.from({ length: channelCount }, () => sharedSamples(frames)) : []
  const parts = await makePieces(
    pieces,
    (span, _, onProgress) =>
      pool.run<'renderPiece'>(
        { kind: 'renderPiece', sound, recipe, analysis, frames, span, into },
        { signal, rank, onProgress: ({ doneFrames }) => onProgress(doneFrames) },
      ),
    show,
  )
  const facts = await pool.run<'joinSurveys'>(
    { kind: 'joinSurveys', of: { frames, sampleRate, channelCount }, parts },
    { signal, rank },
  )
  return { facts, result: kept ? soundInMemory({ sampleRate, channels: into }) : undefined }
}

/** What was read of a source for measuring belongs to this. */
export const readingKeyOf = (source: Source) => contentKey(source, MEASURE_VERSION)

async function keptTrial(key: string): Promise<Trial | undefined> {
  // what cannot be read is measured again
  return readTrial(await trialRows.get(key).catch(() => undefined))
}

/** Set how a measurement stands; what was measured last stays until there is something new. */
function setTrial(variantId: string, next: TrialState) {
  setState((state) => {
    const { trial } = state.trials[variantId] ?? {}
    return { trials: { ...state.trials, [variantId]: { ...(trial && { trial }), ...next } } }
  })
}

/** Set how a render stands; what was last drawn stays until there is something new. */
function setRender(variantId: string, render: RenderState) {
  setState((state) => {
    const { facts, factsRecipe } = state.renders[variantId] ?? {}
    const kept = facts && factsRecipe ? { facts, factsRecipe } : {}
    return { renders: { ...state.renders, [variantId]: { ...kept, ...render } } }
  })
}

export function cancelRender(variantId: string) {
  const job = renderJobs.get(variantId)
  if (!job) return
  renderJobs.delete(variantId)
  job.stop.abort()
  setRender(variantId, { key: job.key, status: 'cancelled', progress: 0 })
}

export function renderNow(source: Source, variant: Variant) {
  beginRender(variant.id, renderKey(source, recipeOf(source, variant)), 0, true)
}
