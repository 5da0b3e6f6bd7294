import { artefactKind } from '../core'
import { measuredSizes, provenCases } from '../core/testing/proven'

/** Harm of known size, what a plain calculation finds of it, and what the measures say. */
export function printProven() {
  console.log('# Harm that is proven twice\n')
  console.log('| kind | material | plain calculation | measured | unit | may be off by |')
  console.log('| --- | --- | --- | --- | --- | --- |')
  for (const proven of provenCases()) {
    const { id, material, sizes, within } = proven
    const { label, unit } = artefactKind(id)
    const list = (values: readonly number[]) => values.map((value) => value.toFixed(1)).join(', ')
    const may = `${within.amount} or ${Math.round(100 * within.share)} %`
    const plain = list(sizes.map((size) => size.plain))
    console.log(`| ${label} | ${material} | ${plain} | ${list(measuredSizes(proven))} | ${unit} | ${may} |`)
  }
}
