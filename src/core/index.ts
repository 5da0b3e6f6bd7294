export { ALL_NEEDS, type Analysis, type AnalysisNeed, type Attack, analyse, analyseTask } from './analysis/analysis'
export { type AttackOptions, detectAttacks } from './analysis/attacks'
export { createLayers, type Layers } from './analysis/layers'
export { layersInParts } from './analysis/layersInParts'
export { coarsen, createOverviewBuilder, type Overview } from './analysis/overview'
export { PITCH_HZ } from './analysis/pitchTrack'
export { LOWEST_DB, levelOf, type Spectrogram, spectrogramTask } from './analysis/spectrogram'
export { type AudioBlock, type Channels, frameCount, type Markers, NO_MARKERS, peakOf, silence } from './audio/block'
export { type ByteSource, bytesInMemory } from './audio/byteSource'
export { concat } from './audio/byteWriter'
export { amongKin } from './audio/joined'
export { addLevels, emptyLevels } from './audio/levels'
export {
  checkSound,
  type DecodedFile,
  type PcmFile,
  type Room,
  readPcm,
  SAMPLE_RATE_RANGE,
} from './audio/pcm'
export { openAiff, type PackedAiff } from './audio/readAiff'
export { openCaf } from './audio/readCaf'
export { openWav, readWav } from './audio/readWav'
export { bytesPerSample, createQuantiser, DITHERS, type Dither, type SampleFormat } from './audio/sampleFormat'
export { inBlocks, type Levels, type SoundSource, soundSource, sourceWithin } from './audio/soundSource'
export { type SoundTags, tagFields } from './audio/soundTags'
export { LOOP_CHUNK, RECIPE_CHUNK } from './audio/wavFields'
export { createWavWriter, wavRate, writeWav } from './audio/writeWav'
export { channelsFor, type Delivered, deliverTask, type SoundWriter } from './delivery/deliver'
export {
  CEILING_RANGE,
  CONTAINERS,
  type Container,
  containerOf,
  containers,
  type Delivery,
  depthFor,
  draftDepth,
  endingsOf,
  isPlain,
  type Level,
  LOUDNESS_RANGE,
  rateFor,
  USUAL_CEILING_DB,
} from './delivery/delivery'
export type { Levelled } from './delivery/levelling'
export { ofLength } from './delivery/ofLength'
export { amplitudeToDb, dbToAmplitude, ratioToSemitones, semitonesToRatio } from './dsp/units'
export { AppError } from './errors'
export { imprintFrames, imprintTask } from './imprint/imprint'
export { IMPRINT_BANDS, IMPRINT_SMOOTHING, type Imprint, PLAIN_IMPRINT } from './imprint/order'
export { type Comings, comingsOf, promiseOf } from './imprint/promise'
export { type Side, sideOf } from './imprint/side'
export { kernelsRun } from './kernels/wasm'
export { firstLanes } from './knowledge/firstLanes'
export { type GridBeats, gridBeats, ontoSteady } from './knowledge/gridBeats'
export {
  KNOWLEDGE_VERSION,
  type Knowledge,
  type KnowOptions,
  keyName,
  know,
  knowKind,
  knowledgeOf,
  knowRhythm,
  knowTones,
  type PitchFacts,
  type Rhythm,
  type Tones,
} from './knowledge/know'
export { type LoopFacts, STEADY_PERCENT, wholeBars } from './knowledge/loop'
export type { Material, MaterialKind } from './knowledge/material'
export { namedTempo } from './knowledge/namedTempo'
export { type NaturalRange, naturalRange, otherReading, type Reading, readingOf } from './knowledge/naturalRange'
export { suggestMethod } from './knowledge/suggestMethod'
export { NO_TEMPO, SURE_FROM, type Tempo, type TempoCandidate } from './knowledge/tempo'
export {
  type Artefact,
  type ArtefactGroup,
  type ArtefactId,
  type ArtefactKind,
  artefactKind,
  artefactKinds,
  type Grade,
  gradeOf,
  type Place,
} from './measure/artefacts'
export type { Comparison } from './measure/comparison'
export {
  type Finding,
  findingOf,
  findingsOf,
  gradeOfArtefact,
  type HeardPlace,
  heardPlacesOf,
  isTold,
  SEVERITY,
  severityOf,
  severityOfArtefact,
  worstOf,
} from './measure/grading'
export { createLoudnessMeter } from './measure/loudness'
export { MEASURE_VERSION, type Measurement, measureTask } from './measure/measure'
export { readSource, type SourceReading } from './measure/sourceReading'
export { createSurvey, joinSurveys, type Survey, type SurveyedSound, type SurveyPart } from './measure/survey'
export { figureOf, foundFigureOf, verdictOf } from './measure/verdict'
export type { AnyMethod, Family, Voice } from './methods/method'
export { freeMethods, methodById, methods } from './methods/registry'
export {
  checkSetting,
  resolveSettings,
  type Setting,
  type SettingsSchema,
  type SettingValues,
} from './methods/settings'
export { addPart } from './mix/addPart'
export { type Arrangement, heardRows, type MixPart, type Row } from './mix/arrangement'
export { clickStroke, clickVoice, kindOfBeat } from './mix/click'
export { heardAt } from './mix/heardAt'
export { type LaidPart, type Lap, layPart } from './mix/layPart'
export { createMixWriter, type MixFacts, type MixOrder, mixTask } from './mix/mixTask'
export { type LaidMix, layMix, mixVoice, overVoice, rowGains } from './mix/mixVoice'
export { openPart, type PartVoice, withRunUp } from './mix/partVoice'
export { type CleanCut, cleanCut, cutGain, cutOut } from './play/cut'
export { addNote, createEnsemble, type Ensemble, type PlayedNote, type Sounding } from './play/ensemble'
export { createHand, type Hand, type HandOrder } from './play/hand'
export { type HandRun, openHandRun, type PlayedHold } from './play/handRun'
export {
  type Instrument,
  MOST_HELD_SECONDS,
  MOST_INTERVAL,
  PLAIN_INSTRUMENT,
  type ReadyInstrument,
  readyInstrument,
  VOICES_RANGE,
} from './play/instrument'
export { type Moment, type MomentsAsked, momentsTask } from './play/moments'
export { createEnvelope, type Envelope } from './play/noteVoice'
export { PLAIN_TONE_KEY, plainTone } from './play/plainTone'
export { playedVoice } from './play/playTask'
export { type Timbre, TWINS_DB, timbreDistance, timbreOf, timbreWords } from './play/timbre'
export { atRate, framesAtRate, RATE_RANGE } from './render/atRate'
export { exportKinTask, type KinFacts, type KinOrder } from './render/exportKin'
export {
  type ExportFacts,
  type ExportOrder,
  type ExportPlan,
  exportFacts,
  exportPieceTask,
  exportTask,
  type PieceFacts,
  planExportTask,
} from './render/exportTask'
export { FADE_RANGE } from './render/joins'
export { joinsFrom, methodText } from './render/lanes'
export { mapMarkers, markersAtRate, markersWithin } from './render/markers'
export {
  needsOf,
  openPlan,
  openRendering,
  type Plan,
  planOf,
  preparePlan,
  type Rendering,
  type SoundSize,
  seamsOfPlan,
  sourceVoice,
} from './render/openVoice'
export { pacedRecipe } from './render/paced'
export {
  checkRecipe,
  FORMANT_RANGE,
  type Formants,
  HOLD_RANGE,
  PITCH_RANGE,
  type Recipe,
  readMapPoints,
  readPitchPoints,
  STRETCH_RANGE,
} from './render/recipe'
export { readTask, renderBlock, renderTask } from './render/renderTask'
export { fileBase, resultName } from './render/resultName'
export { mayBeCut, piecesBetween } from './render/seams'
export { asShaped, shapingKey } from './shape/asShaped'
export {
  checkFilter,
  type DrawnFilter,
  drawnDb,
  FILTER_DB,
  FILTER_HZ,
  FINE_RANGE,
  type FilterPoint,
  filterReach,
  fineHzOf,
  isFlat,
  MOST_FILTER_POINTS,
  readFilter,
} from './shape/drawnFilter'
export { bandShape, combShape, passShape, peaksShape, tiltShape } from './shape/filterShapes'
export { attacksLeft, LAYER_DB, type Prepare, preparesNothing, SAME_ATTACK_SECONDS } from './shape/prepare'
export { type Shaping, shapedFor } from './shape/shaped'
export { finish, type Preparing, type Progress, type Task } from './task'
export { asOutput, asSource, type OutputFrame, type SourceFrame } from './timeline/axes'
export { BEATS_PER_BAR_RANGE, type Metre, type OpenMetre, openMetre } from './timeline/metre'
export { meanBpm, type OwnBeats, ownPassage } from './timeline/ownBeats'
export type { PitchPoint } from './timeline/pitchLine'
export {
  addTempo,
  BPM_RANGE,
  checkTempoLine,
  cutTempo,
  drawTempo,
  flattenTempo,
  limitTempo,
  multiplyTempo,
  type OpenTempo,
  openTempo,
  rampTempo,
  smoothTempo,
  type TempoCurve,
  type TempoEvent,
  type TempoLine,
  tempoBetween,
  tempoOfBeats,
} from './timeline/tempoLine'
export { tempoSteps } from './timeline/tempoSteps'
export { type MapPoint, straightMap, stretchForFrames, type TimeMap } from './timeline/timeMap'
export {
  GRIDS,
  type GridName,
  type GridShape,
  type Groove,
  isGridName,
  type OpenGrid,
  openGrid,
  STRAIGHT_SWING,
  SWING_RANGE,
  takesSwing,
} from './timing/grid'
export { grooveJson, MOST_GROOVE_BARS, readGroove, takeGroove } from './timing/groove'
export { type Hit, nearestWithin } from './timing/hits'
export { type Dot, dotsOf, type OffGrid, offGridOf, offGridWords } from './timing/offGrid'
export { type Giving, givingTask, pacedSpeed } from './timing/pacing'
export { type Filled, fillByPauses, PAUSE_RANGE, type Pause, pausesOf } from './timing/pauses'
export { gapsOf, type Pin, placePin } from './timing/pins'
export { pinsOf, type RuledBeats, SAME_MOMENT_SECONDS, type TimingRule } from './timing/quantise'
export { readPins } from './timing/readPins'
export {
  canKeepLength,
  checkSpeedCurve,
  readSpeedCurve,
  SPEED_RANGE,
  type SpeedCurve,
  type SpeedPoint,
  speedBetween,
} from './timing/speedCurve'
export { timingMap } from './timing/timing'
export { harmOf, harmText, isClose, type Ranked, rankTrials, reasonOf, type Tried } from './trials/advice'
export { contradictionsOf, contradictionsOfAdvice } from './trials/agreement'
export { chooseTask, choosingTask, isWorthJoining } from './trials/choose'
export { comparisonOf } from './trials/comparisonOf'
export { type Span, type Traits, tellingSpan, traitsOf } from './trials/excerpt'
export { handoverBetween } from './trials/handovers'
export { type HarmTold, harmTask } from './trials/harmTold'
export { type Contest, contestTask, type JoinedLanes, joinLanes } from './trials/joinLanes'
export { chanceOfAtLeast, chanceOfPreference } from './trials/listening'
export { type Look, type Looking, lookerAt, lookTask } from './trials/looks'
export { measureInParts } from './trials/measureInParts'
export { valuesOver } from './trials/settingValues'
export {
  type Breaks,
  breaksOf,
  curveOf,
  type MeasuredRange,
  measuredRange,
  pointSeverity,
  SWEEP_POINTS,
  type SweepAxis,
  type SweepBase,
  type SweepPoint,
  spreadOrder,
  sweepRecipe,
  sweepSeconds,
} from './trials/sweep'
export { sweepCsv, sweepData } from './trials/sweepTable'
export { measureSpan, type ReadPart, renderSpan, type Trial, trialTask, withoutPlaces } from './trials/trial'
export { leastHarmTask, tryMethods } from './trials/tryMethods'
