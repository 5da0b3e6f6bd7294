export { packPair, pairCross, pairPower, pairSquared } from './columns'
export { fft } from './fft'
export { addPower, joinPair, layPair, lockPhases, splitPair } from './vocoder'
