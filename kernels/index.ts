export { packPair, pairCross, pairPower, pairSquared } from './columns'
export { fft } from './fft'
