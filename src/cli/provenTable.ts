import { artefactKind, finish, frameCount, measureTask, readSource, straightMap } from '../core'
import { provenCases } from '../core/testing/proven'

/** Harm of known size, what a plain calculation finds of it, and what the measures say. */
export function printProven() {
  console.log('# Harm that is proven twice\n')
  console.log('| kind | material | plain calculation | measured | unit | may be off by |')
  console.log('| --- | --- | --- | --- | --- | --- |')
  const one = () => 1
  for (const { id, material, stretch, source, sizes, within } of provenCases()) {
    const reading = finish(readSource(source))
    const map = straightMap(frameCount(source), stretch)
    const measured = sizes.map(({ result }) => {
      const { artefacts } = finish(
        measureTask({ source, result, from: 0, map, pitchRatioAt: one, formantRatioAt: one }, reading),
      )
      return artefacts.find((artefact) => artefact.id === id)?.value ?? Number.NaN
    })
    const { label, unit } = artefactKind(id)
    const list = (values: readonly number[]) => values.map((value) => value.toFixed(1)).join(', ')
    const may = `${within.amount} or ${Math.round(100 * within.share)} %`
    const plain = list(sizes.map((size) => size.plain))
    console.log(`| ${label} | ${material} | ${plain} | ${list(measured)} | ${unit} | ${may} |`)
  }
}
