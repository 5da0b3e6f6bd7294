import { AppError } from '../core'
import { errnoText } from './errnoText'

type Details = Readonly<Record<string, string | number>>

/** What people read when something expected goes wrong: what happened, and what to do. Keyed by code. */
const texts: Readonly<Record<string, (d: Details) => string>> = {
  'audio/empty': (d) => `${d.file} holds no sound. Export it again from where it came from, or pick another file.`,
  'audio/truncated': (d) => `${d.file} is cut off (missing: ${d.missing}). Copy or download it again.`,
  'audio/mislabelled': (d) =>
    `${d.file} is named like ${d.named} but holds ${d.holds}. Rename it to end in ${d.rename} and bring it in again.`,
  'audio/not-audio': (d) =>
    `${d.file} is not a sound file that Zumbet reads. Bring in WAV, AIFF, CAF, FLAC, MP3, Ogg or M4A, or a film as MP4 or WebM.`,
  'audio/unreadable': (d) => `${d.file} cannot be read: ${d.why}. Export it again, WAV is safest.`,
  'audio/unsupported': (d) =>
    `${d.file} uses ${d.what}, which Zumbet does not read. Save it as 16 or 24-bit WAV first.`,
  'audio/rate': (d) =>
    `${d.file} has a sample rate of ${d.rate} Hz; Zumbet works with ${d.min} to ${d.max}. If that is a mistake in its header, export it again.`,
  'audio/channels': (d) =>
    `${d.file} has ${d.channels} channels; Zumbet works with 1 to ${d.most}. Export fewer of them, or each by itself.`,
  'audio/partial': (d) =>
    `Not all of ${d.file} could be read. Missing: ${d.missing}. If you have a better copy, bring that in.`,
  'audio/needs-browser': (d) =>
    `${d.file} is ${d.what}, which only the browser can decode. Bring it in there, or save it as WAV first.`,
  'film/silent': (d) =>
    `${d.file} has no sound. Its picture can be fitted against; silence of its length lies on the shelf.`,
  'film/unshown': (d) =>
    `${d.file}: this browser cannot show its picture (${d.coding}); its sound came in. Save it as H.264 or VP9 to see it.`,
  'film/nothing': (d) =>
    `${d.file} has neither a sound nor a picture that this browser can read. Save it as MP4 or WebM.`,
  'audio/not-finite': (d) => `${d.file} had ${d.samples} samples that are no numbers; they were set to silence.`,
  'method/unknown': (d) => `There is no method "${d.id}". Use one of: ${d.known}.`,
  'setting/unknown': (d) => `There is no setting "${d.name}" here. It has: ${d.known}.`,
  'setting/range': (d) => `The setting "${d.name}" takes ${d.takes}.`,
  'recipe/range': (d) => `The ${d.name} must be between ${d.min} and ${d.max}; ${d.value} is not.`,
  'map/json': (d) => `${d.file} is no time map: ${d.why}. docs/maps.md shows how one looks.`,
  'pitch/json': (d) => `${d.file} is no pitch line: ${d.why}. docs/maps.md shows how one looks.`,
  'midi/unreadable': (d) => `${d.file} is no MIDI file that can be read. Write it again where it comes from.`,
  'midi/no-notes': (d) => `${d.file} holds no notes that could be played.`,
  'play/no-root': (d) =>
    `No root is found in ${d.file}: nothing in it has one pitch. Say it, like --root A3 or --root 220.`,
  'imprint/long': (d) => `All of a sound can be imprinted up to ${d.most} s of it. Take a part, or another way.`,
  'filter/json': (d) => `${d.file} is no filter: ${d.why}. docs/filters.md shows how one looks.`,
  'map/count': (d) => `A time map takes 2 to ${d.most} points; this one has ${d.count}.`,
  'map/point': (d) => `Point ${d.point} of the time map does not hold: ${d.why}.`,
  'groove/json': (d) => `${d.file} is no groove: ${d.why}. docs/maps.md shows how one looks.`,
  'groove/none': () => 'Nothing is struck there that a groove could be taken from. Take it from a sound with attacks.',
  'pins/json': (d) => `${d.file} holds no pins: ${d.why}. docs/maps.md shows how they look.`,
  'recipe/json': (d) => `${d.file} is no recipe that can be used: ${d.why}. docs/recipe.md says what one looks like.`,
  'recipe/pin': (d) =>
    `Pin ${d.pin} does not lie behind the one before it. Give pins that rise in the source and in the result.`,
  'recipe/join': (d) => `Join ${d.join} does not hold: ${d.why}. docs/recipe.md says how lanes are joined.`,
  'speed/json': (d) => `${d.file} is no speed curve: ${d.why}. docs/maps.md shows how one looks.`,
  'speed/count': (d) => `A speed curve takes 1 to ${d.most} points; this one has ${d.count}.`,
  'speed/point': (d) => `Point ${d.point} of the speed curve does not hold: ${d.why}.`,
  'speed/length': () =>
    'Nothing that lies around this speed curve could keep the length. Let the length go, or let the curve take less of the sound.',
  'time/grid': (d) =>
    `${d.file} has no tempo that can be relied on, so there is no grid. Say it: --bpm N, and --first-beat SECONDS where it does not begin on a beat.`,
  'time/kin': (d) =>
    `${d.file} has ${d.frames} frames at ${d.rate} Hz and ${d.lead} ${d.leadFrames} at ${d.leadRate} Hz. Kin were recorded together: give files of one length and rate.`,
  'pitch/count': (d) => `A pitch line takes 1 to ${d.most} points; this one has ${d.count}.`,
  'pitch/point': (d) => `Point ${d.point} of the pitch line does not hold: ${d.why}.`,
  'tempo/none': () => 'A tempo line takes one event at least: the tempo that it begins with.',
  'tempo/beat': (d) => `Event ${d.event} of the tempo line has no beat. Say at which beat it is, as a number.`,
  'tempo/order': (d) =>
    `Event ${d.event} of the tempo line, at beat ${d.beat}, does not lie behind the one before. Give events by rising beat.`,
  'tempo/bpm': (d) =>
    `Event ${d.event} of the tempo line has ${d.bpm} BPM. A tempo lies between ${d.least} and ${d.most}.`,
  'tempo/unsure': (d) =>
    `${d.file} has no tempo that can be relied on. Say it in a session: "hand": { "bpm": … }, or { "beats": [seconds, …] }.`,
  'mix/entry': (d) => `${d.entry} does not hold: ${d.why}.`,
  'mix/empty': () => 'Nothing lies there to be mixed. Lay parts on the timeline, or choose other bars.',
  'set/tempo': (d) =>
    `${d.was} BPM would become ${d.wanted} BPM: a tempo goes from ${d.least} to ${d.most} BPM. Change the set by less.`,
  'set/pitch': (d) =>
    `${d.name} would be moved by ${d.wanted} semitones: pitch goes from ${d.least} to +${d.most}. Change the set by less.`,
  'measure/rate': (d) =>
    `The source has ${d.source} Hz and the result ${d.result}: they cannot be laid on each other. Convert one of them first.`,
  'measure/channels': (d) =>
    `The source has ${d.source} channels and the result ${d.result}. Give a result with as many channels as its source.`,
  'measure/length': (d) =>
    `The result should have ${d.expected} frames by its stretch or map, but has ${d.frames}. Check --stretch, or that the two files belong together.`,
  'export/too-long': (d) =>
    `The result would take ${(Number(d.bytes) / 2 ** 30).toFixed(1)} GiB; a file of this kind ends at 4. Choose 16 bits or a shorter stretch.`,
  'folder/no-sounds': (d) =>
    `${d.folder} holds no sound files that Zumbet reads. It reads WAV, AIFF, FLAC, MP3, Ogg and M4A.`,
  'folder/none-readable': (d) => `None of the ${d.files} sound files in ${d.folder} could be read; see above.`,
  'batch/no-tempo': (d) =>
    `The tempo of ${d.file} could not be told. Say it, like --bpm 128:120, or leave the file out.`,
  'batch/some-failed': (d) => `${d.failed} of ${d.files} files failed; the others are made. See above.`,
  'file/missing': (d) => `${d.file} is not there. Check the name and the folder.`,
  'file/no-file': (d) => `${d.file} is a folder, or no file that can be read. Give the name of a sound file.`,
  'file/newer': (d) =>
    `${d.file} was changed by someone else since it was written here, and is left as it is. Try again to write over it, or export under another name.`,
  'file/shut': (d) =>
    `${d.file} may not be written to any more. Press Save now and allow it, or choose the file again.`,
  'file/no-way': () => 'This browser lets no page write over a file. Export it, or use a folder.',
  'file/unreadable': (d) => `${d.file} cannot be read: ${d.why}. Check who may read it.`,
  'file/is-input': (d) =>
    `${d.file} is the sound that is read: the result would take its place. Choose another name, or say --force.`,
  'export/channels': (d) =>
    `${d.what} files hold up to ${d.most} channels, and this sound has ${d.channels}. Choose WAV or FLAC, or one channel.`,
  'folder/none': () => 'This browser lets no page write into a folder. Choose the downloads or a zip.',
  'folder/unwritable': (d) =>
    `${d.file} cannot be written into ${d.folder}: ${d.why || 'the browser does not let it'}. Choose another folder.`,
  'export/silent': (d) => `${d.file} is silent: it has no loudness to be brought anywhere, and stays as it is.`,
  'export/empty': () => 'The result would hold not one sample. Choose a longer stretch, or a longer sound.',
  'file/unwritable': (d) => `${d.file} cannot be written: ${d.why}. Choose another place or free some space.`,
  'play/rate': (d) =>
    `This browser cannot play a sound of ${d.rate} Hz. It can be worked with and exported; to hear it, convert it to 44100 Hz first.`,
  'record/refused': (d) =>
    `The browser may not listen to ${d.device}. Allow the microphone for this page in the address bar, or pick another input.`,
  'record/no-input': (d) => `${d.device} gives no sound. Plug it in, or pick another input.`,
  'session-file/unreadable': (d) => `${d.file} cannot be opened as a session: ${d.why}. Pick another file.`,
  'session-file/damaged': (d) =>
    `${d.name} in ${d.file} is damaged. Copy the file again from where it came from, or open it for the rest.`,
  'session-file/missing': (d) => `${d.name} has no sound in ${d.file}. Bring that sound in by itself.`,
  'session-file/parts': (d) => `${d.failed} of the sounds did not come into ${d.folder}; see above.`,
  'session-file/bomb': (d) =>
    `${d.file ?? 'The file'} claims to hold more than any session does, and was not unpacked. Pick another file.`,
  'job/died': (d) => `A part of the work ended by itself: ${d.why}. Try again; with a shorter sound if it comes back.`,
  'audio/too-slow': (d) => `${d.file} took far too long to read and was let go. Export it again, WAV is safest.`,
  'storage/closed': () =>
    'The storage of this browser cannot be used just now. Reload the page; in a private window, allow it to keep data.',
  'storage/changed': (d) =>
    `What this browser keeps of ${d.name} is no longer what came in. Bring the file in again, and remove this one.`,
  'storage/full': () => 'The browser has no room left to keep this. Remove sounds you no longer need, then try again.',
  'storage/lost': (d) => `The file of ${d.name} is no longer in this browser. Remove it and bring it in again.`,
  'demo/unreachable': (d) => `The demo sound ${d.name} could not be loaded. Is the Zumbet server still running?`,
}

/** The sentence for an error; for one that nobody foresaw, its own message. */
export function errorText(error: unknown): string {
  if (error instanceof AppError) {
    const text = texts[error.code]
    if (text) return text(error.details)
    if (error.details.what) return `Something went wrong: ${error.details.what}`
  }
  // a disk that fails in the middle of something
  const { syscall, path } = (error ?? {}) as { syscall?: unknown; path?: unknown }
  if (typeof syscall === 'string')
    return `${typeof path === 'string' ? path : 'A file'} could not be read or written: ${errnoText(error)}. Check the disk, then try again.`
  return `Something went wrong: ${error instanceof Error ? error.message : String(error)}`
}

/** The codes that have a sentence, for the test that no thrown code lacks one. */
export const textCodes: readonly string[] = Object.keys(texts)
