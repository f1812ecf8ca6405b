import { expect, it } from 'vitest'
import { readPairs, writePairs } from '@/stations/map/pairs'

it('reads what is copied from a spreadsheet', () => {
  expect(readPairs('Sapling\tsapling\nOld, grown\tgrove\r\n\nRetired\t\n')).toEqual({
    pairs: { Sapling: 'sapling', 'Old, grown': 'grove', Retired: '' },
    unread: [],
  })
})

it('reads CSV with quotes, and tells lines that are no pair', () => {
  expect(readPairs('"a ""b"", c",x\nd;e\nalone\n,nothing')).toEqual({
    pairs: { 'a "b", c': 'x', d: 'e' },
    unread: ['alone', ',nothing'],
  })
})

it('writes what it reads, and no cell that a spreadsheet would compute', () => {
  const text = writePairs([
    { value: 'a, "b"', count: 3, site: 'x' },
    { value: '=1+1', count: 1, site: '-5' },
  ])
  expect(text).toBe('Supplied,On the site,Rows\r\n"a, ""b""",x,3\r\n\'=1+1,-5,1\r\n')
  expect(readPairs(text).pairs['a, "b"']).toBe('x')
})
