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

/** Something to know at a glance: its head, what is said of it, and what it opens, where it opens anything. */
export interface Fact<Shown extends string> {
  head: string
  parts: { mark: State; text: string }[]
  shows?: Shown
}

/** What is said of a fact without a mark. */
export const plain = (text: string): Fact<never>['parts'] => [{ mark: '', text }]
