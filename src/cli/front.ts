// what the first thread of the command loads: no more than it needs to be there at once
export { supervise } from './supervise'
