/** The kinds of harm that are measured. Ids are a contract: the command prints them, sessions keep them. */
export type ArtefactId =
  | 'lost-attacks'
  | 'extra-attacks'
  | 'smear'
  | 'slip'
  | 'flutter'
  | 'detune'
  | 'phasiness'
  | 'noise-colour'
  | 'formant-shift'
  | 'image'
  | 'level'
  | 'balance'
  | 'clicks'
  | 'aliasing'

/** What of a sound suffers: the rows in which harm is shown. */
export type ArtefactGroup = 'attacks' | 'tones' | 'noise' | 'level'

export type Grade = 'not audible' | 'slight' | 'clear' | 'severe'

/** What is said of a kind of harm; 0 is none, more is worse. */
export interface ArtefactKind {
  readonly id: ArtefactId
  readonly label: string
  readonly group: ArtefactGroup
  readonly unit: string
  /** from where on it is heard at all, clearly, and before all else */
  readonly audibleFrom: number
  readonly clearFrom: number
  readonly severeFrom: number
  /** where `audibleFrom` comes from */
  readonly threshold: string
  readonly sounds: string
  readonly helps: string
}

/** All kinds, in the order in which they are told. */
export const artefactKinds: readonly ArtefactKind[] = [
  {
    id: 'lost-attacks',
    label: 'Lost attacks',
    group: 'attacks',
    unit: 'per 100',
    audibleFrom: 0.5,
    clearFrom: 4,
    severeFrom: 12,
    threshold: 'A missing hit is heard as such: one in two hundred counts.',
    sounds: 'A hit is gone, or drowns in what rings around it.',
    helps: 'Attack splice, Three-layer, or a shorter window.',
  },
  {
    id: 'extra-attacks',
    label: 'Extra attacks',
    group: 'attacks',
    unit: 'per 100',
    audibleFrom: 0.5,
    clearFrom: 4,
    severeFrom: 12,
    threshold:
      'Two clicks 2 ms apart are told from one, 20 ms apart they have an order (Hirsh 1959): any repeat counts.',
    sounds: 'A hit comes twice: a flam, a stutter.',
    helps: 'Attack splice, attack hold with Waveform match, or segments longer than the gap between hits.',
  },
  {
    id: 'smear',
    label: 'Smear',
    group: 'attacks',
    unit: 'dB',
    audibleFrom: 1,
    clearFrom: 3,
    severeFrom: 6,
    threshold:
      'A rise is told from one a quarter longer (van Heuven & van den Broecke 1979): 1 dB less energy in its first 4 ms.',
    sounds: 'Hits lose their edge, or swell in before they come.',
    helps: 'Attack splice, Three-layer, or a shorter window.',
  },
  {
    id: 'slip',
    label: 'Slip',
    group: 'attacks',
    unit: 'ms',
    audibleFrom: 6,
    clearFrom: 12,
    severeFrom: 25,
    threshold: 'One stroke out of an even row is heard from 6 ms on (Friberg & Sundberg 1995).',
    sounds: 'The timing wobbles: some hits come early or late.',
    helps: 'Attack splice, Three-layer, or shorter segments.',
  },
  {
    id: 'flutter',
    label: 'Flutter',
    group: 'tones',
    unit: 'dB',
    audibleFrom: 0.4,
    clearFrom: 1,
    severeFrom: 2.5,
    threshold:
      'Slow changes of level are heard from about 1 dB from top to bottom, 0.4 dB rms (Zwicker & Fastl 2007, 7.1).',
    sounds: 'Held tones shake, gargle or pulse.',
    helps: 'Locked vocoder with a longer window; Three-layer.',
  },
  {
    id: 'detune',
    label: 'Detune',
    group: 'tones',
    unit: 'cents',
    audibleFrom: 5,
    clearFrom: 15,
    severeFrom: 40,
    threshold:
      'Two complex tones one after the other are told apart from 0.2 to 0.3 %, 3 to 5 cents (Moore et al. 1985).',
    sounds: 'Off pitch, or sour against other tracks.',
    helps: 'Locked vocoder; for one voice Pitch cycle.',
  },
  {
    id: 'phasiness',
    label: 'Phasiness',
    group: 'tones',
    unit: 'dB',
    audibleFrom: 2,
    clearFrom: 5,
    severeFrom: 10,
    threshold:
      'Noise beside a tone is heard when it grows by some 2 dB over what was there (Zwicker & Fastl 2007, 7.1).',
    sounds: 'Hollow, far away, as through a pipe.',
    helps: 'Locked vocoder with another window; Pitch cycle for one voice.',
  },
  {
    id: 'noise-colour',
    label: 'Noise colour',
    group: 'noise',
    unit: 'dB',
    audibleFrom: 0.5,
    clearFrom: 1.2,
    severeFrom: 2.5,
    threshold: 'Our estimate: the flatness of noise that repeats itself twice within 50 ms falls by half a dB.',
    sounds: 'Breath, rain or hiss turns metallic, watery or grainy.',
    helps: 'Spectral drift or Three-layer, which draw noise afresh.',
  },
  {
    id: 'formant-shift',
    label: 'Formant shift',
    group: 'tones',
    unit: '%',
    audibleFrom: 3,
    clearFrom: 8,
    severeFrom: 18,
    threshold:
      'Vowels are told apart when a formant moves by 1.5 % in the laboratory, 3 to 5 % in speech (Kewley-Port & Watson 1994).',
    sounds: 'The voice belongs to somebody smaller or larger.',
    helps: 'Keep formants; Pitch cycle for one voice.',
  },
  {
    id: 'image',
    label: 'Image',
    group: 'level',
    unit: '% moved',
    audibleFrom: 5,
    clearFrom: 12,
    severeFrom: 25,
    threshold:
      'A level difference of 1 dB between the ears moves a sound (Mills 1960): 6 % of the energy changes its place.',
    sounds: 'Things move in the stereo picture, or it turns narrow or vague.',
    helps: 'A method that treats channels together with one decision for all of them.',
  },
  {
    id: 'level',
    label: 'Level',
    group: 'level',
    unit: 'LU',
    audibleFrom: 1,
    clearFrom: 2.5,
    severeFrom: 6,
    threshold: 'Loudness is told apart from about 1 dB on (Zwicker & Fastl 2007, 7.1).',
    sounds: 'It got quieter or louder.',
    helps: 'Less attack hold, or an overlap that adds up; switching is level-matched in any case.',
  },
  {
    id: 'balance',
    label: 'Balance',
    group: 'level',
    unit: 'dB',
    audibleFrom: 1,
    clearFrom: 2.5,
    severeFrom: 6,
    threshold: 'A broad change of the spectrum is heard from about 1 dB on (Toole & Olive 1988).',
    sounds: 'Duller, thinner or boomier.',
    helps: 'A longer window for lows, a shorter one for highs; Three-layer.',
  },
  {
    id: 'clicks',
    label: 'Clicks',
    group: 'noise',
    unit: 'clicks',
    audibleFrom: 0.5,
    clearFrom: 2,
    severeFrom: 6,
    threshold: 'Each stands out of its surroundings by 22 dB or more; one is heard.',
    sounds: 'Pops and ticks.',
    helps: 'Longer cross-fades; another method.',
  },
  {
    id: 'aliasing',
    label: 'Aliasing',
    group: 'noise',
    unit: 'dB over −80 dB',
    audibleFrom: 20,
    clearFrom: 32,
    severeFrom: 45,
    threshold:
      'What lies 60 dB under a sound, where nothing else does, is heard in a quiet room (Zwicker & Fastl 2007, 4.1).',
    sounds: 'A whistle or a glassy edge that has nothing to do with the sound.',
    helps: 'A method that reads back with a band limit; less transposition.',
  },
]

const kinds = new Map(artefactKinds.map((kind) => [kind.id, kind]))

export function artefactKind(id: ArtefactId): ArtefactKind {
  return kinds.get(id) as ArtefactKind
}

/** Kinds whose places are events: each counts one, and how many there are is what the whole is graded by. */
export const isEvent = (id: ArtefactId) => id === 'lost-attacks' || id === 'extra-attacks' || id === 'clicks'

/** The grade of one figure; `grading` says that of a whole result, by its figure and its places. */
export function gradeOf(id: ArtefactId, value: number): Grade {
  const { audibleFrom, clearFrom, severeFrom } = artefactKind(id)
  if (value < audibleFrom) return 'not audible'
  if (value < clearFrom) return 'slight'
  return value < severeFrom ? 'clear' : 'severe'
}

/** A moment of the source and how much harm is done to it there. */
export interface Place {
  /** frame of the source */
  readonly sourceFrame: number
  /** how many frames of the source it stands for; 0 for a moment */
  readonly spanFrames: number
  /** frame of the result in which it is heard */
  readonly outputFrame: number
  readonly value: number
}

/** One kind of harm in one result. */
export interface Artefact {
  readonly id: ArtefactId
  /** overall, in the unit of its kind */
  readonly value: number
  /** false where nothing can be told: then `value` is 0 */
  readonly measured: boolean
  /** where nothing can be told: the sound is too short for it. Else it has nothing that could suffer this harm. */
  readonly short?: true
  /** where there is some, rising by `sourceFrame` */
  readonly places: readonly Place[]
  /** how many places are clear by themselves, and the worst of them: what grading keeps where places are not kept */
  readonly local?: { readonly count: number; readonly worst: Place }
  /** what the value is made of, each with its unit in its name */
  readonly parts: Readonly<Record<string, number>>
}

export const unmeasured = (id: ArtefactId): Artefact => ({ id, value: 0, measured: false, places: [], parts: {} })

export const tooShort = (id: ArtefactId): Artefact => ({ ...unmeasured(id), short: true })
