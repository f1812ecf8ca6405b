import type { Step } from '@/stations/map/useMapping'

/** What the steps work on, in the order of the menu. */
export const stepGroups = [
  'Text',
  'Blanks',
  'Numbers',
  'Dates',
  'Codes and choices',
  'People',
  'Web',
  'Anything else',
] as const

/** Where each step stands in the menu, and other words by which somebody may look for it. */
export const stepMenu: Record<Step['kind'], { group: (typeof stepGroups)[number]; also: string }> = {
  trim: { group: 'Text', also: 'whitespace strip' },
  case: { group: 'Text', also: 'capital letters' },
  replace: { group: 'Text', also: 'find substitute remove' },
  join: { group: 'Text', also: 'combine merge' },
  blank_when: { group: 'Blanks', also: 'empty none' },
  read_date: { group: 'Dates', also: 'time month day' },
  read_number: { group: 'Numbers', also: 'amount price decimal' },
  read_yes_no: { group: 'Codes and choices', also: 'true false tick' },
  take_part: { group: 'Text', also: 'split first last' },
  split_list: { group: 'Text', also: 'divide several' },
  affix: { group: 'Text', also: 'prefix suffix' },
  arithmetic: { group: 'Numbers', also: 'multiply divide add round' },
  default: { group: 'Blanks', also: 'empty' },
  write_date: { group: 'Dates', also: 'format time' },
  to_code: { group: 'Codes and choices', also: 'country language currency' },
  phone: { group: 'People', also: 'mobile' },
  phone_by_country: { group: 'People', also: 'mobile' },
  swap_parts: { group: 'People', also: 'name' },
  take_digits: { group: 'Numbers', also: 'id member customer' },
  slug: { group: 'Web', also: 'permalink path' },
  html: { group: 'Web', also: 'tags markup text' },
  lookup: { group: 'Codes and choices', also: 'translate replace' },
  absolute_url: { group: 'Web', also: 'link picture' },
  unusable: { group: 'Anything else', also: '' },
  when: { group: 'Anything else', also: 'if condition' },
  formula: { group: 'Anything else', also: 'function' },
}
