import { expect, type Page } from '@playwright/test'

/** What lies in the browser's storage, read and broken from outside, as a disk or an older version might. */

type Change = { readonly table: string; readonly key: string; readonly path: readonly (string | number)[] }

/** The primary keys and row counts of all tables. */
export function storedRows(page: Page): Promise<Record<string, unknown[]>> {
  return page.evaluate(async () => {
    const open = indexedDB.open('zumbet')
    const database = await new Promise<IDBDatabase>((resolve, reject) => {
      open.onsuccess = () => resolve(open.result)
      open.onerror = () => reject(open.error)
    })
    const out: Record<string, unknown[]> = {}
    for (const name of database.objectStoreNames) {
      const ask = database.transaction(name).objectStore(name).getAllKeys()
      out[name] = await new Promise((resolve) => {
        ask.onsuccess = () => resolve(ask.result)
      })
    }
    database.close()
    return out
  })
}

/** All rows of a table, as text. */
export function storedText(page: Page, table: string): Promise<string> {
  return page.evaluate(async (name) => {
    const open = indexedDB.open('zumbet')
    const database = await new Promise<IDBDatabase>((resolve, reject) => {
      open.onsuccess = () => resolve(open.result)
      open.onerror = () => reject(open.error)
    })
    const ask = database.transaction(name).objectStore(name).getAll()
    const rows = await new Promise<unknown[]>((resolve) => {
      ask.onsuccess = () => resolve(ask.result)
    })
    database.close()
    return JSON.stringify(rows)
  }, table)
}

/** Waits until a table holds this text, or holds it no more: however busy the machine is, it has been written then. */
export async function written(page: Page, text: string, { table = 'sessions', gone = false } = {}) {
  const poll = expect.poll(() => storedText(page, table))
  await (gone ? poll.not.toContain(text) : poll.toContain(text))
}

/** A value that storage holds and nobody expects, by its name. */
function wrongValue(name: string): unknown {
  const values: Record<string, unknown> = {
    NaN: Number.NaN,
    Infinity: Number.POSITIVE_INFINITY,
    '-1': -1,
    '1e308': 1e308,
    '0.5': 0.5,
    '99': 99,
    null: null,
    text: 'tide',
    empty: '',
    long: 'x'.repeat(5000),
    list: [],
    object: { 'of another': 'version' },
    true: true,
    date: new Date(0),
    map: new Map([['a', 1]]),
    bytes: new Uint8Array(4),
    big: 10n,
  }
  return values[name]
}

/** Let a page make them: `globalThis.wrongValue`. */
export const teachWrongValues = (page: Page) => page.evaluate(`globalThis.wrongValue = ${wrongValue}`)

/**
 * Put a wrong value into a row, and open the app on it.
 * `wrong` is its name: not all that storage holds can be sent as JSON.
 * The app is left first: what it still writes would go over the break.
 */
export async function breakRow(page: Page, { table, key, path }: Change, wrong: string) {
  await page.route('/blank', (route) =>
    route.fulfill({ contentType: 'text/html', body: '<link rel="icon" href="data:,">' }),
  )
  await page.goto('/blank')
  await teachWrongValues(page)
  await page.evaluate(
    async ({ table, key, path, wrong }) => {
      const open = indexedDB.open('zumbet')
      const database = await new Promise<IDBDatabase>((resolve, reject) => {
        open.onsuccess = () => resolve(open.result)
        open.onerror = () => reject(open.error)
      })
      const store = database.transaction(table, 'readwrite').objectStore(table)
      const ask = store.get(key)
      const row = await new Promise<Record<string | number, unknown>>((resolve) => {
        ask.onsuccess = () => resolve(ask.result)
      })
      const names = [...path]
      const last = names.pop() as string | number
      let at = row
      for (const name of names) at = at?.[name] as Record<string | number, unknown>
      if (at && typeof at === 'object') {
        if (wrong === 'gone') delete at[last]
        else at[last] = (globalThis as never as { wrongValue: typeof wrongValue }).wrongValue(wrong)
      }
      const put = store.put(row)
      await new Promise((resolve, reject) => {
        put.onsuccess = resolve
        put.onerror = () => reject(put.error)
      })
      database.close()
    },
    { table, key, path, wrong },
  )
  await page.goto('/')
}
