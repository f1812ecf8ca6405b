import { useMutation, useQuery } from '@tanstack/vue-query'
import { computed, onScopeDispose } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import { follow } from '@/api/events'
import { queries } from '@/api/queries'

export type Board = Schemas['Board']
export type Card = Schemas['Card']
export type Goal = Schemas['Goal']['to']

const keyOf = (id: number) => ['migration', id]
const path = (id: number) => ({ params: { path: { migration_id: id } } })
const kept = (id: number) => (board: Board) => {
  queries.setQueryData(keyOf(id), board)
  void queries.invalidateQueries({ queryKey: ['migrations'] })
  void queries.invalidateQueries({ queryKey: ['imports'] })
}

export const useMigrations = () =>
  useQuery({ queryKey: ['migrations'], queryFn: () => answer(api.GET('/api/migrations')) })

export const useStartMigration = () =>
  useMutation({
    mutationFn: (body: { site_id: number; name: string }) => answer(api.POST('/api/migrations', { body })),
    onSuccess: (board) => kept(board.id)(board),
  })

export const useRemoveMigration = () =>
  useMutation({
    mutationFn: (id: number) => answer(api.DELETE('/api/migrations/{migration_id}', path(id))),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['migrations'] }),
  })

/** The board of a migration, as it is told for as long as somebody looks. */
export function useBoard(id: number) {
  const found = useQuery({
    queryKey: keyOf(id),
    queryFn: () => answer(api.GET('/api/migrations/{migration_id}', path(id))),
  })
  onScopeDispose(follow<Board>(`/api/migrations/${id}/events`, (board) => queries.setQueryData(keyOf(id), board)))
  return found
}

/** What can be done on a board; each answers with it as it is then. */
export function useBoardActions(id: number) {
  const onSuccess = kept(id)
  return {
    change: useMutation({
      mutationFn: (body: Schemas['ChangedMigration']) =>
        answer(api.PATCH('/api/migrations/{migration_id}', { ...path(id), body })),
      onSuccess,
    }),
    decide: useMutation({
      mutationFn: ({ sheet, kind }: { sheet: number; kind: string }) =>
        answer(
          api.PUT('/api/migrations/{migration_id}/sheets/{sheet_id}', {
            params: { path: { migration_id: id, sheet_id: sheet } },
            body: { record_type: kind },
          }),
        ),
      onSuccess,
    }),
    letGo: useMutation({
      mutationFn: (sheet: number) =>
        answer(
          api.DELETE('/api/migrations/{migration_id}/sheets/{sheet_id}', {
            params: { path: { migration_id: id, sheet_id: sheet } },
          }),
        ),
      onSuccess,
    }),
    takeOut: useMutation({
      mutationFn: (item: number) =>
        answer(
          api.DELETE('/api/migrations/{migration_id}/imports/{import_id}', {
            params: { path: { migration_id: id, import_id: item } },
          }),
        ),
      onSuccess,
    }),
    go: useMutation({
      mutationFn: (body: Schemas['Goal']) =>
        answer(api.POST('/api/migrations/{migration_id}/go', { ...path(id), body })),
      onSuccess,
    }),
    halt: useMutation({
      mutationFn: () => answer(api.POST('/api/migrations/{migration_id}/halt', path(id))),
      onSuccess,
    }),
  }
}

export const useOpenPoints = (id: number, wanted: () => boolean) =>
  useQuery({
    queryKey: ['migration', id, 'preflight'],
    queryFn: () => answer(api.GET('/api/migrations/{migration_id}/preflight', path(id))),
    enabled: computed(wanted),
    staleTime: 0,
  })
