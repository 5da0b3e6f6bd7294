import 'fake-indexeddb/auto'
import { describe, expect, it } from 'vitest'
import { createBatchKeeper, openDatabase } from '.'

describe('a batch', () => {
  const keeperOf = (name: string) => createBatchKeeper(openDatabase(name))

  it('is there again, file by file, with what was made', async () => {
    const keeper = keeperOf('batch')
    await keeper.begin({ to: 'zip' }, [{ id: 'a' }, { id: 'b' }])
    await keeper.putFile({ id: 'b', row: 1 } as never, new Blob(['sound']))
    const { run, files } = await keeper.all()
    expect(run).toEqual({ to: 'zip' })
    expect(files).toEqual([{ id: 'a' }, { id: 'b', row: 1 }])
    expect(await keeper.made('a')).toBeUndefined()
  })

  it('keeps what was made when more becomes known of it', async () => {
    const keeper = keeperOf('batch-more')
    await keeper.begin({}, [{ id: 'a' }])
    await keeper.putFile({ id: 'a' }, new Blob(['sound']))
    await keeper.putFile({ id: 'a', saved: 'there' } as never)
    expect((await keeper.all()).files).toEqual([{ id: 'a', saved: 'there' }])
    expect(await openDatabase('batch-more').batch.get('file a')).toHaveProperty('made')
  })

  it('gives way to the next one, and leaves nothing when it is put away', async () => {
    const keeper = keeperOf('batch-next')
    await keeper.begin({ n: 1 }, [{ id: 'a' }, { id: 'b' }])
    await keeper.begin({ n: 2 }, [{ id: 'c' }])
    expect(await keeper.all()).toEqual({ run: { n: 2 }, files: [{ id: 'c' }] })
    await keeper.clear()
    expect(await keeper.all()).toEqual({ run: undefined, files: [] })
  })
})
