import type { Station } from '@/workbench/useImport'

/** What each station is for, in the order of the work. */
export const stations: [Station, string, string][] = [
  [
    'read',
    'Read',
    'The sheet as it came. Say how it is divided, correct cells, leave rows out. The original stays as it is.',
  ],
  [
    'map',
    'Map',
    'Each field of the site gets the columns that feed it, and steps that change their values on the way.',
  ],
  [
    'check',
    'Check',
    'Every row is held to what the site accepts. What does not fit is listed, with what can be done about it.',
  ],
  [
    'rehearse',
    'Rehearse',
    'The site is read, and what would happen to each row is worked out and frozen as a plan. Nothing is sent.',
  ],
  ['run', 'Run', 'The plan is carried out, record by record. It can be paused, and goes on by itself after a crash.'],
  ['verify', 'Verify', 'The site is read back, and every field is compared with what was sent.'],
]

/** The words that mean something of their own here. */
export const words: [string, string][] = [
  ['Site', 'a website that Datorum reads from and writes to'],
  ['Field', 'one thing that the site keeps of a record: a customer’s e-mail'],
  ['Row', 'a line of the sheet; its number is the line that you would find in the file'],
  ['Record', 'what a row becomes on the site, or several rows together: an order with its lines'],
  ['Shape', 'how rows make records: each one, several with the same key, a tree, a language each'],
  ['Link', 'a field that means another record, found by something that tells it apart; marked →'],
  ['Supplied', 'a value as it came in the sheet'],
  ['Landed', 'the same value as the site will store it, after the steps'],
  ['Step', 'one change to a value, such as “trim spaces”; every step can be written as a formula too'],
  ['Value table', 'for a column with few different values: what each of them becomes on the site'],
  ['Match key', 'the field that tells that a row and a record on the site are the same; marked ◆'],
  ['Finding', 'what a check says of one field of one row; it holds the row, or only warns'],
  ['Ready', 'the row can go'],
  ['Held', 'the row cannot go until what was found is dealt with; it stays here and nothing is lost'],
  ['Left out', 'the row does not go because a person or a filter said so'],
  ['Create', 'no record on the site has this key, so a new one is made'],
  ['Update', 'a record on the site has this key, and some of its fields change'],
  ['Delete', 'a record of the site that no row names, or that makes room for all that come, is taken away'],
  ['Unnamed', 'a record of the site that no row names; it stays, and is listed'],
  ['Pilot', 'the fewest records that show all that a plan does; they go first, with all that they mean'],
  ['Undo', 'a run taken back: what it created goes, what it changed returns, what others changed since stays'],
  ['Unchanged', 'a record on the site has this key, and holds all of it already'],
  ['Accepted', 'somebody has seen what was found, and lets the row go all the same'],
  ['Policy', 'what happens where a record is on the site already, and where it is not'],
  ['Snapshot', 'what the site held when it was last read'],
  ['Plan', 'what a rehearsal froze: for each row create, update, or nothing, field by field'],
  ['Stale', 'something has changed since, so it has to be made again before it counts'],
  ['In doubt', 'was on its way when a run stopped; the site is asked for it before anything is sent again'],
]

/** What a word means, for whoever rests on it. */
export const meaning = (word: string) => words.find(([known]) => known.toLowerCase() === word.toLowerCase())?.[1]

export type Keys = [key: string, does: string][]

const everywhere: Keys = [['?', 'the keys of this screen']]
const workbench: Keys = [
  ['Ctrl K', 'go anywhere: a station, a field, a column, a command'],
  ['Esc', 'close what is open'],
]
const ledger: Keys = [
  ['↑ ↓', 'the field above or below'],
  ['← →', 'earlier or later records'],
  ['[ ]', 'the earlier or later line of what records hold several of'],
]

/** The keys of each screen, which `?` shows where one is. */
export const keys: Record<Station | 'other', Keys> = {
  read: [
    ['↑ ↓ ← →', 'move in the sheet'],
    ['Page Up, Page Down', 'a screen up or down'],
    ['Home, End', 'the first or last column'],
    ['Ctrl Home, Ctrl End', 'the first or last row'],
    ['Enter, F2', 'correct the cell'],
    ['Tab', 'keep the correction, and go to the next cell'],
    ['x', 'leave the row out, or take it in again'],
    ['/', 'find in the sheet'],
    ...workbench,
    ...everywhere,
  ],
  map: [
    ...ledger,
    ['Enter', 'choose what feeds the field'],
    ['s', 'add a step'],
    ['f', 'add a formula'],
    ['v', 'the value table'],
    ['l', 'by what a link is found'],
    ['x', 'leave out the first column that feeds nothing'],
    ['.', 'the next field with a problem'],
    ['/', 'find records'],
    ['Ctrl Z', 'undo a change to the mapping'],
    ['Ctrl Shift Z', 'make the change again'],
    ...workbench,
    ...everywhere,
  ],
  check: [...ledger, ...workbench, ...everywhere],
  rehearse: [...ledger, ...workbench, ...everywhere],
  run: [...workbench, ...everywhere],
  verify: [...ledger, ...workbench, ...everywhere],
  other: everywhere,
}
