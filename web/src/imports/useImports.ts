import { useMutation, useQuery } from '@tanstack/vue-query'
import { answer, api, Problem, type Schemas } from '@/api/client'
import { queries } from '@/api/queries'
import { session } from '@/session/session'

export const useImports = () => useQuery({ queryKey: ['imports'], queryFn: () => answer(api.GET('/api/imports')) })

export const useSites = () => useQuery({ queryKey: ['sites'], queryFn: () => answer(api.GET('/api/sites')) })

export const useConnectSite = () =>
  useMutation({
    mutationFn: (site: Schemas['NewSite']) => answer(api.POST('/api/sites', { body: site })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['sites'] }),
  })

export const useRemoveImport = () =>
  useMutation({
    mutationFn: (id: number) => answer(api.DELETE('/api/imports/{import_id}', { params: { path: { import_id: id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['imports'] }),
  })

/** Sends a file with its progress from 0 to 1 (fetch tells none); rejects with a Problem. Abort by the signal. */
export function uploadFile(
  file: File,
  siteId: number,
  recordType: string,
  progress: (share: number) => void,
  signal: AbortSignal,
): Promise<Schemas['Overview']> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest()
    const form = new FormData()
    form.append('file', file)
    form.append('site_id', String(siteId))
    form.append('record_type', recordType)
    request.open('POST', '/api/imports')
    request.setRequestHeader('X-CSRF-Token', session.value?.csrf ?? '')
    request.responseType = 'json'
    request.upload.onprogress = (event) => progress(event.loaded / event.total)
    request.onerror = () => reject(new Problem('The file could not be sent.', 'Try again.', 0))
    request.onload = () => {
      const got = request.response as (Schemas['Overview'] & { title?: string; detail?: string }) | null
      if (request.status === 201 && got) resolve(got)
      else reject(new Problem(got?.title ?? `Datorum answers ${request.status}.`, got?.detail ?? '', request.status))
    }
    signal.addEventListener('abort', () => request.abort())
    request.send(form)
  })
}
