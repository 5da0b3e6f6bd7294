/** Plain data as the text of a file. Whole numbers without end, which JSON cannot hold, are left out. @throws {TypeError} for what holds itself. */
export const plainText = (value: unknown) =>
  `${JSON.stringify(value, (_, inner) => (typeof inner === 'bigint' ? undefined : inner), 2)}\n`
