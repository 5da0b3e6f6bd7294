export { packPair, pairCross, pairPower, pairSquared } from './columns'
export { fft } from './fft'
export { readPositions } from './resample'
export { addPower, joinPair, layPair, lockPhases, splitPair } from './vocoder'
