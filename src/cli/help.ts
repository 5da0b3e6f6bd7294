const RECIPE = `[--stretch X] [--semitones N] [--cents N]
      [--formants move|keep|shift] [--formant-semitones N] [--map FILE.json] [--pitch-map FILE.json]
      [--hold-attacks PERCENT] [--layers sines:DB,attacks:DB,noise:DB] [--without-attacks SECONDS,…]
      [--filter FILE.json] [--filter-at before|after]`

const OUTPUT = `[--format wav|flac|mp3|m4a|opus] [--depth 16|24|32|32f] [--rate HZ] [--channels keep|mono]
      [--lufs N [--ceiling DBTP] | --peak DBTP] [--dither flat|shaped|none] [--kbps N] [--markers keep|drop]`

interface Help {
  readonly usage: string
  readonly about: string
}

/** What each command takes, and what it does. */
export const commandHelp: Readonly<Record<string, Help>> = {
  render: {
    usage: `zumbet render IN OUT.wav --method ID|auto ${RECIPE} [--set NAME=VALUE …] [--seed N]
      ${OUTPUT}
      [--pacing PERCENT] [--tags [--date YYYY-MM-DD]] [--save-recipe FILE.json] [--workers N] [--force]
  zumbet render IN OUT.wav --recipe FILE.json [--workers N] [--force]`,
    about: `Render a sound by one method; auto tries all of them on this sound, takes the one that does least harm,
or joins several where that does clearly less, and says why.
X is output length / source length (0.1 to 1000), pitch ±36 semitones.
Without --depth the result is as deep as the source (24 bits where the source has no depth of its own).
--rate writes it at another rate, band-limited; without it, at the source's. The kind of file follows from the ending of OUT, or
--format; MP3 and Opus are as long to the frame too, M4A where the player goes by its edit list. --lufs brings it to a loudness,
its peaks held back below --ceiling (-1 dBTP), --peak to its peak alone. Marks, loops, root and tempo of the source go along, where they now are, unless --markers drop; --tags writes title and
recipe into the file. --save-recipe writes all that --recipe needs to make the very bytes again (docs/recipe.md).
--map takes the place of --stretch: points that tie seconds of the source to seconds of the result; --pitch-map is a
line of pitch over the result (docs/maps.md). --hold-attacks lets every attack pass at its natural speed.
--pacing is for speech: vowels and pauses give way, consonants keep nearly their length; 100 is all of it.
--layers turns the source's layers up or down before it is stretched (off takes one out), --without-attacks takes out
single attacks; --filter is a gain drawn over the spectrum, on the source or on the result (docs/filters.md).
A result of more than a minute is made in pieces, by --workers threads at once (as many as there are cores, up to 4); the file is
the same for any number. OUT.wav may be a link: what it links to is written. Only --force writes over IN itself.
varispeed ties pitch to speed: --stretch and --semitones both turn its one speed.`,
  },
  fit: {
    usage: `zumbet fit IN OUT.wav --seconds N | --bpm FROM:TO | --bars N@BPM [--beats-per-bar N] [--method ID]
      [render's other flags]`,
    about: `Render to a length, from one tempo to another, or to whole bars; the stretch follows. Without --method the material
decides, and the choice is told. --bpm TO alone starts from the tempo that is found.`,
  },
  time: {
    usage: `zumbet time IN OUT.wav [--bpm N] [--first-beat SECONDS] [--grid 1/4|1/8|1/16|1/32|1/4t|1/8t|1/16t] [--strength PERCENT]
      [--swing PERCENT] [--window MS] [--groove REF.wav|GROOVE.json] [--pins FILE.json] [--speed-curve FILE.json]
      [--with KIN.wav:OUT.wav …] [--stretch X] [--method ID] [render's other flags]`,
    about: `Mend the timing inside a sound; its length stays. Attacks are drawn to a grid (1/16 where nothing else is said) by --strength,
those within --window ms of it; --swing is the first step's share of each pair: 50 straight, 66.7 triplets. --groove lays the pattern of another
sound on it. --pins moves single moments, before which the rule gives way; --speed-curve lets the speed change over the sound (docs/maps.md).
--with gives sounds that were recorded together with IN: all get one map, to the frame. Without --bpm the tempo is found; without
--first-beat, where the beats lie. Without --method the material decides.`,
  },
  groove: {
    usage: 'zumbet groove IN [--json] [--midi OUT.mid] [--grid GRID] [--bars N] [--bpm N] [--first-beat SECONDS]',
    about: `Tell where a sound's hits lie off the grid, step by step over --bars bars (1 to 8): the median, and how steady it is. --json prints
the groove as time --groove takes it, --midi writes it as notes.`,
  },
  batch: {
    usage: `zumbet batch IN… OUTDIR [--bpm N|FROM:TO | --stretch X | --seconds N] [--key KEY] [--semitones N] [--method auto|advice|ID]
      ${OUTPUT}
      [--workers N] [--shard I/N] [--resume] [--force] [--measure] [--json] [render's other flags]`,
    about: `Bring many sounds, or all in a folder and the folders in it, to one target. Without --method, or with auto, each file's material
decides; with advice, every method is tried on each file and the one that harms it least is taken, which takes long. Files come to their names whole, in folders as they lay in; summary.csv tells of each, what is strained most first; with --measure
it has the figures of what the method did to each, what was harmed most first. --resume goes
on with a batch that was ended at any moment, --force writes over what is there. With --shard machines that share a folder each take
their own part of the files, each with a summary of its own. Ends with 1 where some failed; the others are made.`,
  },
  watch: {
    usage: 'zumbet watch FILE [--times N] [--seconds N] [--json]',
    about: `Stand in for a program that is linked to a file: tell what it holds, and again whenever it changes, --times changes or --seconds long.
A file that is not whole at some moment is told of too.`,
  },
  analyse: {
    usage: 'zumbet analyse IN [--json] [--sensitivity PERCENT] [--workers N]',
    about: `Tell a sound's attacks, tempo, beats, key, material and bars; a folder gives a line for each file (docs/analysis.md).`,
  },
  measure: {
    usage: `zumbet measure SOURCE RESULT --stretch X | --map FILE.json [--semitones N] [--cents N] [--pitch-map FILE.json]
      [--formants move|keep|shift] [--formant-semitones N] [--hold-attacks PERCENT] [--method ID] [--json]`,
    about: `Measure what was done to a sound, whoever did it: every artefact as a figure with its places in source time
(docs/measures.md). --method only matters for how a held attack or a tape speed was meant to run.`,
  },
  advise: {
    usage: `zumbet advise IN --stretch X | --map FILE.json | --semitones N [render's other flags but --method and --set] [--workers N] [--json]`,
    about:
      'Try every method on the part of the result that tells most, measure it, and rank them with the reasons in figures.',
  },
  sweep: {
    usage: `zumbet sweep IN [--axis length|far|pitch] [--methods ID,ID] [--at X,X] [--formants move|keep|shift]
      [--formant-semitones N] [--hold-attacks PERCENT] [--json|--csv]`,
    about: 'The same over many lengths (0.25 to 16, far: 16 to 200) or pitches (±24 st): where does each method break?',
  },
  layers: {
    usage: 'zumbet layers IN OUTDIR [--depth 16|24|32|32f]',
    about: `Write a sound's three layers as files: sines, attacks, noise; they add up to it.`,
  },
  session: {
    usage: 'zumbet session FILE [--json] [--extract DIR]',
    about: `Read a session: a .zumbet file, or a session.json whose sounds lie beside it (docs/session.md). Tells what is in it and what did
not hold; --json gives the session as it is read; --extract writes its sounds into a folder.`,
  },
  mix: {
    usage: `zumbet mix SESSION OUT.wav [--stems DIR] [--click OUT.wav] [--cue-sheet OUT.html] [--from BAR] [--to BAR]
      [--bpm N] [--semitones N] [--workers N]
      ${OUTPUT}`,
    about: `Mix what lies on a session's timeline: a .zumbet file, or a session.json whose sounds lie beside it (docs/session.md).
The file begins at beat 0 and ends with the last part, to the frame. Bars count from 1: --from begins where a bar begins, and gives the
samples of the whole mix from there on; --to ends where a bar begins. Stereo; without --rate, at the rate that most sounds have; without
--depth, 24 bits. --stems writes a file for each row as it is heard in the mix, --click the click by itself, --cue-sheet
a page to be printed, with bars, sections, times and tempos. --bpm brings the whole set to a tempo as it begins, ramps in proportion;
--semitones moves all of it that has a note. Without a tempo said for it,
a sound's is found out. What does not hold on the timeline is told in one line, and nothing is written.`,
  },
  tempo: {
    usage: 'zumbet tempo IN|SESSION OUT.json|OUT.mid [--every beat|bar] [--workers N]',
    about: `Write the tempo line that a performance has, found out from its beats (or bars), or that a session has. In a MIDI file ramps
are steps, eight to a beat. In JSON the line is as a session has it; "firstBeat" is where its beat 0 lies in the performance, seconds.`,
  },
  play: {
    usage: `zumbet play IN NOTES.mid OUT.wav [--root NOTE|HZ] [--length keep|tape] [--play hold|through|loop] [--attack MS] [--release MS]
      [--voices N] [--glide MS] [--method ID] [--stretch X] [render's other flags]`,
    about: `Play a sound by the notes of a MIDI file: as long at every pitch (keep), or faster the higher (tape). The root is the note
at which it sounds as it is; without --root it is found. A note sounds as long as it is held, to its end (through), or round and
round (loop). Of more notes than --voices the oldest gives way; with one voice --glide slides from note to note. Stereo.`,
  },
  instrument: {
    usage: `zumbet instrument IN OUTDIR [--root NOTE|HZ] [--every SEMITONES] [--from NOTE] [--to NOTE] [--play hold|through|loop]
      [--attack MS] [--release MS] [--method ID] [--stretch X] [--zip] [render's other flags]`,
    about: `Make an instrument of a sound: samples at every so many semitones (3 without --every, an octave to either side of the
root without --from and --to), each by the method, as long as the others, and a text (.sfz) that says which keys play which. Loops of the sound go
along; loop without any goes round all of it. With --every 1 no player has to stretch anything. --zip makes one zip of it.`,
  },
  imprint: {
    usage: `zumbet imprint BODY RHYTHM OUT.wav --by bands|columns|whole [--amount PERCENT] [--bands N] [--smoothing MS] [--stretch X]
      [--rhythm-stretch X] [--method ID] [--depth 16|24|32|32f] [--force]`,
    about: `Shape one sound by another: lay the loudness of RHYTHM over time, band by band, on BODY (bands); multiply their spectra column by
column (columns); or convolve BODY with all of RHYTHM (whole, up to 120 s). The result is as loud as BODY and as long; a shorter
rhythm goes round; whole adds the length of RHYTHM. --stretch and --rhythm-stretch stretch either side first, by --method (drift).`,
  },
  picks: {
    usage: 'zumbet picks IN [--count N] [--seconds S] --out DIR [--depth 16|24|32|32f] [--json]',
    about: `Write the moments of a sound that differ most from each other by timbre as files, cut where nothing clicks: 8 of 2 s without
flags. The first is the most usual one; of each other it is told how far it is from the nearest before it, and why.`,
  },
  methods: { usage: 'zumbet methods [--json]', about: 'List the methods and their settings.' },
  info: { usage: 'zumbet info IN [--json]', about: 'Tell length, rate, channels, depth and peak of a sound.' },
}

const indented = (text: string) => text.replace(/^/gm, '      ')

/** All that can be asked for, or one command of it. */
export function helpText(command?: string): string {
  const one = command === undefined ? undefined : commandHelp[command]
  const about = (help: Help) => `  ${help.usage}\n${indented(help.about)}\n`
  if (one) return about(one)
  return `Zumbet, from the command line

${Object.values(commandHelp).map(about).join('\n')}
  --help and --version go with any command.

Reads WAV, AIFF, CAF, FLAC, MP3 and Ogg. Ends with 0 when done, 1 for bad input, 2 for bad usage.
`
}
