export {
  firstSession,
  firstSources,
  freeLetter,
  MAX_VARIANTS,
  newSource,
  newVariant,
  PLAIN_TARGET,
  REFERENCE,
} from './create'
export { amend, change, type History, redo, type Step, startHistory, undo } from './history'
export {
  type Beats,
  beatsOf,
  bpmText,
  editedAttacks,
  type Found,
  heldAnalysis,
  isUntuned,
  keyOf,
  keyText,
  kindOf,
  type LoopKnown,
  loopOf,
  SURE_FROM,
  type TempoKnown,
  tempoOf,
} from './known'
export { firstOutlook, type Outlook, outlookSchema } from './outlook'
export { partFacts, recipeOf, soundKey } from './recipe'
export {
  type BlindResult,
  type Hand,
  type Key,
  type Session,
  type Source,
  type SourceFacts,
  sessionSchema,
  type Target,
  type Variant,
} from './schema'
export {
  barsOf,
  bpmOf,
  clampPitch,
  clampStretch,
  isPlain,
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
