export { packPair, pairCross, pairPower } from './columns'
export { fft } from './fft'
