import { fileBase, heardRows } from '../core'
import type { Session } from './schema'

/** A file name to be told apart from others in a folder: what no file system takes is left out. */
export function safeFileName(file: string, taken: ReadonlySet<string>): string {
  const clean =
    [...file.replace(/^.*[\\/]/, '')]
      .filter((letter) => (letter.codePointAt(0) ?? 0) >= 32 && !'<>:"|?*'.includes(letter))
      .join('')
      .replace(/^\.+/, '')
      .trim()
      .slice(-120) || 'sound'
  const [, base, ending] = /^(.*?)(\.[^.]*)?$/s.exec(clean) as unknown as [string, string, string | undefined]
  let name = clean
  for (let n = 2; taken.has(name.toLowerCase()); n++) name = `${base} ${n}${ending ?? ''}`
  return name
}

/** The rows of a timeline that are heard and that something lies on, each with the name of its file. */
export function stemsOf({
  rows,
  parts,
}: Pick<Session, 'rows' | 'parts'>): { readonly row: number; readonly file: string }[] {
  const heard = heardRows(rows)
  const taken = new Set<string>()
  return rows.flatMap(({ id, name }, row) => {
    if (!heard[row] || !parts.some((part) => part.row === id)) return []
    const file = safeFileName(`${fileBase(name) || `row ${row + 1}`}.wav`, taken)
    taken.add(file.toLowerCase())
    return [{ row, file }]
  })
}
