import { writeWav } from '../../../core'
import { type InputDevice, type Recording, startRecording } from '../../../engine'
import { saveFile } from '../../common/saveFile'
import { notify, tell } from '../state/notices'
import { store } from '../state/store'
import { bringIn } from './arrivals'

/** Recording from an input into a new source. */

let running: Recording | undefined

export const recordingNow = () => running

export async function beginRecording(device: InputDevice): Promise<boolean> {
  try {
    running = await startRecording(device)
    store.setState({ recording: true })
    return true
  } catch (error) {
    tell(error)
    return false
  }
}

/** End it, and put what was recorded on the shelf. */
export async function endRecording() {
  const recording = running
  running = undefined
  store.setState({ recording: false })
  if (!recording) return
  try {
    const audio = await recording.stop()
    if ((audio.channels[0]?.length ?? 0) === 0) return
    const now = new Date()
    const two = (n: number) => String(n).padStart(2, '0')
    const name = `Recording ${now.getFullYear()}-${two(now.getMonth() + 1)}-${two(now.getDate())} ${two(now.getHours())}.${two(now.getMinutes())}.${two(now.getSeconds())}.wav`
    const file = new File([writeWav(audio, { format: '32f' })], name, { type: 'audio/wav' })
    const [refused] = await bringIn([file])
    // it lies nowhere else
    if (refused)
      notify({
        tone: 'trouble',
        text: 'The recording could not be kept in this browser.',
        action: { label: 'Save it as a file', run: () => saveFile(refused, name) },
      })
  } catch (error) {
    tell(error)
  }
}
