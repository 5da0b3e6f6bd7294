/**
 * Plain data as the text of a file. Bigints, which JSON cannot hold, are left out.
 * @throws {TypeError} for data that holds itself.
 */
export const plainText = (value: unknown) =>
  `${JSON.stringify(value, (_, inner) => (typeof inner === 'bigint' ? undefined : inner), 2)}\n`
