import { describe, expect, it } from 'vitest'
import { createRandom } from '../core/dsp/random'
import { amend, change, type History, redo, startHistory, undo } from './history'

interface Toy {
  count: number
  list: number[]
}

describe('history', () => {
  it('undoes and redoes any run of edits to the same states', () => {
    const random = createRandom(8)
    let history: History<Toy> = startHistory({ count: 0, list: [] })
    const states: Toy[] = [history.present]
    for (let n = 0; n < 60; n++) {
      const kind = random()
      history = change(history, 'edit', (draft) => {
        if (kind < 0.4) draft.count += 1 + Math.floor(random() * 5)
        else if (kind < 0.7 || draft.list.length === 0)
          draft.list.splice(Math.floor(random() * (draft.list.length + 1)), 0, n)
        else draft.list.splice(Math.floor(random() * draft.list.length), 1)
      })
      states.push(history.present)
    }
    for (let n = states.length - 1; n > 0; n--) {
      expect(history.present).toEqual(states[n])
      history = undo(history)
    }
    expect(history.present).toEqual(states[0])
    for (let n = 1; n < states.length; n++) {
      history = redo(history)
      expect(history.present).toEqual(states[n])
    }
    expect(redo(history)).toBe(history)
  })

  it('makes one step of a gesture, two of two, none of nothing', () => {
    let history: History<Toy> = startHistory({ count: 0, list: [] })
    for (let n = 1; n <= 20; n++)
      history = change(
        history,
        'drag',
        (draft) => {
          draft.count = n
        },
        'g1',
      )
    for (let n = 1; n <= 3; n++)
      history = change(
        history,
        'drag',
        (draft) => {
          draft.count = -n
        },
        'g2',
      )
    history = change(
      history,
      'nothing',
      (draft) => {
        draft.count = -3
      },
      'g3',
    )
    expect(history.past).toHaveLength(2)
    history = undo(history)
    expect(history.present.count).toBe(20)
    history = undo(history)
    expect(history.present.count).toBe(0)
    expect(undo(history)).toBe(history)
  })

  it('forgets the future with a new edit, and keeps found facts out of undo', () => {
    let history: History<Toy> = change(startHistory({ count: 0, list: [] as number[] }), 'a', (draft) => {
      draft.count = 1
    })
    history = amend(history, (draft) => {
      draft.list.push(7)
    })
    history = undo(history)
    expect(history.present).toEqual({ count: 0, list: [7] })
    history = change(history, 'b', (draft) => {
      draft.count = 5
    })
    expect(history.future).toHaveLength(0)
  })

  it('keeps of a drag how it began and how it ended, not what lay between', () => {
    let history: History<Toy> = startHistory({ count: 0, list: [1] })
    for (let n = 1; n <= 200; n++)
      history = change(
        history,
        'drag',
        (draft) => {
          draft.count = n
          draft.list = [n, n]
        },
        'g',
      )
    expect(history.past[0]?.redo).toHaveLength(2)
    expect(undo(history).present).toEqual({ count: 0, list: [1] })
    expect(redo(undo(history)).present).toEqual({ count: 200, list: [200, 200] })
  })
})
