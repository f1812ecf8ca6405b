/** What a mark stands for; nothing has none. */
export type State = 'good' | 'warned' | 'changed' | 'held' | 'same' | ''

/** What each mark means, wherever it stands. */
export const marks: Record<Exclude<State, ''>, string> = {
  good: 'in order: ready, created, as it was sent',
  warned: 'to be looked at: a warning, or a value that changes',
  changed: 'to be looked at: a warning, or a value that changes',
  held: 'stopped: held, refused, or different from what was sent',
  same: 'as it was: unchanged, left out, or accepted',
}
