export { SURE_FROM } from '../core'
export {
  arrangementOf,
  beatsOfSection,
  metreOf,
  mixRate,
  ownBeatsOf,
  partRecipe,
  tempoLineOf,
  variantOf,
} from './arrange'
export { resultNames } from './batch/names'
export { type Aim, type BatchKey, type BatchWish, type FilePlan, LEAST_TEMPO, planFile } from './batch/plan'
export {
  type BatchFile,
  type BatchRow,
  type BatchRun,
  type BatchSettings,
  BPM_RANGE,
  type ChosenMethod,
  FIRST_BATCH,
  type OwnWish,
  readBatchFile,
  readBatchRun,
  SECONDS_RANGE,
  SEMITONE_RANGE,
  wishOf,
} from './batch/settings'
export { summaryOf, worstFirst } from './batch/summary'
export { contentKey, partKey } from './contentKey'
export {
  firstFilm,
  firstSession,
  firstSources,
  firstVariants,
  freeLetter,
  hasUntouchedLanes,
  MAX_VARIANTS,
  NO_TIMELINE,
  newSource,
  newVariant,
  REFERENCE,
} from './create'
export {
  deliveryOfSettings,
  type ExportSettings,
  exportSettingsSchema,
  FIRST_EXPORT,
  heldToKind,
  NAME_FIELDS,
  type NameField,
  namesBy,
  type Over,
  unknownFields,
} from './exportSettings'
export { stemsOf } from './fileNames'
export { amend, change, type History, redo, type Step, startHistory, undo } from './history'
export {
  joinedOf,
  type LaneRun,
  LEAST_RUN_SECONDS,
  laneOf,
  paintRuns,
  type RunLane,
  runsIn,
  runsOf,
  variantLike,
} from './joins'
export { isOneLength, isTimedAs, kinOf, leadOf, namedKin, timeAs } from './kin'
export {
  attackEdits,
  type Beats,
  beatsOf,
  bpmText,
  editedAttacks,
  type Found,
  heldAnalysis,
  isUntuned,
  keyMoved,
  keyOf,
  keyText,
  kindOf,
  type LoopKnown,
  loopOf,
  type TempoKnown,
  tempoOf,
} from './known'
export { recipeHeardAt } from './listening'
export { type HandMarkers, handMarkersOf, markersOf, withCue, withCueChanged, withoutCue } from './marks'
export type { Mended } from './mend'
export { mendedText } from './mendedText'
export { firstOutlook, type Outlook, outlookSchema } from './outlook'
export { pacedPoints, pacingOf, settledPacing } from './pacing'
export type { PictureMark, Slot } from './pictureSchema'
export { fileSecondsAt, KEYS_ID, keysInstrument, PAD_KEY, padInstrument, pickSpan, playedRecipe } from './playing'
export {
  type FilterIntent,
  type Keys,
  keysSchema,
  type PickMark,
  type PrepareIntent,
  pickSchema,
  type Take,
} from './playSchema'
export { type LengthContext, type LengthUnit, readLength, readPitch } from './quantity'
export { checkedForWriting, readOutlook, readSession, type SessionRead } from './readSession'
export { contentKeys, partEnd, partFacts, partStart, recipeOf, shapingOf, soundKey, timedFacts } from './recipe'
export {
  kbpsSchema,
  levelSchema,
  type RecipeFile,
  rateSchema,
  readRecipeFile,
  recipeFileOf,
  recipeText,
} from './recipeFile'
export { type FoundFacts, readFacts, readFoundFacts, readKnowledge, readTrial } from './records'
export {
  type BlindResult,
  type Hand,
  type Key,
  MOST_KIN,
  PLAIN_TARGET,
  SESSION_VERSION,
  type Session,
  type Source,
  type SourceFacts,
  sessionSchema,
  type Target,
  type Variant,
} from './schema'
export { type Fill, filled, fillOf, type OpenSlot, pictureOf, slotOf } from './slot'
export {
  barsOf,
  bpmOf,
  clampPitch,
  clampStretch,
  depthOf,
  isPlain,
  keyInterval,
  percentOf,
  pitchFromParts,
  pitchParts,
  secondsOf,
  shortestInterval,
  stretchFromBars,
  stretchFromBpm,
  stretchFromPercent,
  stretchFromSeconds,
} from './target'
export {
  LEAST_BEATS,
  type Section,
  type TempoLineEvent,
  type TimelinePart,
  type TimelineRow,
} from './timelineSchema'
export {
  gridBeatsOf,
  hitsOf,
  PLAIN_RULE,
  placedOf,
  ruleOf,
  shapeOf,
  type TimedDot,
  timedDots,
  timingOf,
} from './timing'
export { grooveSchema, type NamedGroove, type SourcePacing, type SourceRule, type SourceTiming } from './timingSchema'
export { changeSet, type SetChange, tempoRatioTo } from './wholeSet'
