export { coarsen, createOverviewBuilder, type Overview } from './analysis/overview'
export { type AudioBlock, type Channels, frameCount, type Markers, NO_MARKERS, peakOf, silence } from './audio/block'
export { type DecodedFile, readWav } from './audio/readWav'
export type { SampleFormat } from './audio/sampleFormat'
export { createWavWriter, writeWav } from './audio/writeWav'
export { amplitudeToDb, dbToAmplitude, ratioToSemitones, semitonesToRatio } from './dsp/units'
export { AppError } from './errors'
export { createLoudnessMeter } from './measure/loudness'
export type { AnyMethod, Family, Voice } from './methods/method'
export { firstMethods, methodById, methods } from './methods/registry'
export {
  checkSetting,
  resolveSettings,
  type Setting,
  type SettingsSchema,
  type SettingValues,
} from './methods/settings'
export { type ExportFacts, type ExportOrder, exportTask } from './render/exportTask'
export { mapMarkers, mapOf, openRendering, type Rendering, sourceVoice } from './render/openVoice'
export { checkRecipe, type Formants, PITCH_RANGE, type Recipe, STRETCH_RANGE } from './render/recipe'
export { finish, type Progress, renderBlock, renderTask, type Task } from './render/renderTask'
export { resultName } from './render/resultName'
export { asOutput, asSource, type OutputFrame, type SourceFrame } from './timeline/axes'
export { straightMap, stretchForFrames, type TimeMap } from './timeline/timeMap'
