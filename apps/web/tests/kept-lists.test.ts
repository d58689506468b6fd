import { describe, expect, it } from 'vitest'
import { KeptLists } from '../server/utils/kept-lists'

const change = (table: string) => ({ table, id: '1', isProgress: false })

function counted(lists: KeptLists) {
  let reads = 0
  return { ask: () => lists.get('jobs 1', async () => ++reads) }
}

describe('lists that are kept between changes', () => {
  it('reads once for many callers and again after a change of a job, a source or a sample', async () => {
    const lists = new KeptLists()
    const { ask } = counted(lists)
    expect(await Promise.all([ask(), ask(), ask()])).toEqual([1, 1, 1])
    for (const [index, table] of ['job', 'source', 'sample'].entries()) {
      lists.noteChange(change(table))
      expect(await ask()).toBe(index + 2)
    }
  })

  it('is not disturbed by changes of what is in no list', async () => {
    const lists = new KeptLists()
    const { ask } = counted(lists)
    await ask()
    lists.noteChange(change('worker'))
    expect(await ask()).toBe(1)
  })

  it('never hands out what was read before a change that came during the reading', async () => {
    const lists = new KeptLists()
    let finish: (value: string) => void = () => undefined
    const early = lists.get(
      'jobs 1',
      () =>
        new Promise<string>(resolve => {
          finish = resolve
        }),
    )
    lists.noteChange(change('job'))
    const late = lists.get('jobs 1', async () => 'after')
    finish('before')
    expect([await early, await late]).toEqual(['before', 'after'])
    expect(await lists.get('jobs 1', async () => 'again')).toBe('after')
  })

  it('asks again after a failure', async () => {
    const lists = new KeptLists()
    await expect(
      lists.get('jobs 1', async () => {
        throw new Error('no database')
      }),
    ).rejects.toThrow('no database')
    expect(await lists.get('jobs 1', async () => 'there')).toBe('there')
  })
})
