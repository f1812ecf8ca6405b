import { useMutation, useQuery } from '@tanstack/vue-query'
import { answer, api } from '@/api/client'
import { queries } from '@/api/queries'

export const useImports = () => useQuery({ queryKey: ['imports'], queryFn: () => answer(api.GET('/api/imports')) })

export const useArchived = () =>
  useQuery({
    queryKey: ['imports', 'archived'],
    queryFn: () => answer(api.GET('/api/imports', { params: { query: { archived: true } } })),
  })

export const useRemoveImport = () =>
  useMutation({
    mutationFn: (id: number) => answer(api.DELETE('/api/imports/{import_id}', { params: { path: { import_id: id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['imports'] }),
  })

export const useRenameImport = () =>
  useMutation({
    mutationFn: ({ id, name }: { id: number; name: string }) =>
      answer(api.PATCH('/api/imports/{import_id}', { params: { path: { import_id: id } }, body: { name } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['imports'] }),
  })

export const useTakeOutOfArchive = () =>
  useMutation({
    mutationFn: (id: number) =>
      answer(api.DELETE('/api/imports/{import_id}/archived', { params: { path: { import_id: id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['imports'] }),
  })
