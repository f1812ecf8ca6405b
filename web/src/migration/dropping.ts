import { reactive } from 'vue'

/** A file that is on its way to a migration. ``problem``: why it did not arrive. */
export interface Dropped {
  migration: number
  file: File
  problem: string
}

/** Files that were dropped and are not read yet: they outlive the page on which they were dropped. */
export const dropping = reactive<Dropped[]>([])

export const drop = (migration: number, files: Iterable<File>) => {
  for (const file of files) dropping.push({ migration, file, problem: '' })
}

export const forget = (one: Dropped) => {
  const at = dropping.indexOf(one)
  if (at >= 0) dropping.splice(at, 1)
}
