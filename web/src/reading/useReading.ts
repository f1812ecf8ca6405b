import { useIntervalFn } from '@vueuse/core'
import { computed, ref } from 'vue'
import { away, PATIENCE } from '@/api/away'
import { answer, api, Problem, type Schemas } from '@/api/client'
import { session } from '@/session/session'

const POLL = 500
const TRIES = 60

/** A file that is sent and read while somebody waits: how far that is, and the way to stop it. */
export function useReading() {
  const name = ref('')
  const sent = ref<number | null>(null)
  const state = ref<Schemas['ReadingView'] | null>(null)
  let cancel = new AbortController()
  const poll = useIntervalFn(ask, POLL, { immediate: false })

  async function ask() {
    const asked = name.value
    if (!asked || (sent.value !== null && sent.value < 1)) return
    const found = await answer(api.GET('/api/readings/{name}', { params: { path: { name: asked } } })).catch(() => null)
    if (name.value === asked && found) state.value = found
  }

  /** Have something read under a name by which its progress can be told. */
  async function during<T>(work: (name: string) => Promise<T>): Promise<T> {
    const own = crypto.randomUUID()
    name.value = own
    sent.value = null
    state.value = null
    poll.resume()
    try {
      return await work(own)
    } finally {
      if (name.value === own) {
        name.value = ''
        sent.value = null
        state.value = null
        poll.pause()
      }
    }
  }

  /** Send a file with other parts of a form; answers with what came of it, or rejects with a Problem. It is sent again where
   * nothing can have come of it: Datorum was away before it had all of it, or says that nothing was changed. */
  function send<Got>(method: 'POST' | 'PUT', path: string, parts: Record<string, string | File>) {
    cancel = new AbortController()
    const { signal } = cancel
    return during(async (own) => {
      for (let tried = 1; ; tried += 1) {
        try {
          const got = await sendForm<Got>(
            method,
            path,
            parts,
            { 'X-Reading': own },
            (share) => (sent.value = share),
            signal,
          )
          away.value = false
          return got
        } catch (error) {
          const nothingCame =
            error instanceof Problem && (error.status === 503 || (error.status === 0 && sent.value! < 1))
          if (!nothingCame || signal.aborted || tried >= TRIES) throw error
          away.value = true
          await new Promise((resolve) => setTimeout(resolve, PATIENCE))
        }
      }
    })
  }

  /** What is being sent is cancelled; what is being read is asked to stop, and says itself that it did. */
  function stop() {
    if (sent.value !== null && sent.value < 1) cancel.abort()
    else if (name.value) void api.DELETE('/api/readings/{name}', { params: { path: { name: name.value } } })
  }

  return {
    underWay: computed(() => !!name.value),
    /** Whether there is something to tell: what takes no time is not worth a word. */
    shown: computed(() => sent.value !== null || state.value !== null),
    sent: computed(() => sent.value),
    state: computed(() => state.value),
    during,
    send,
    stop,
  }
}

/** A request that tells how much of it was sent, 0 to 1, as fetch does not. */
function sendForm<Got>(
  method: string,
  path: string,
  parts: Record<string, string | File>,
  headers: Record<string, string>,
  progress: (share: number) => void,
  signal: AbortSignal,
): Promise<Got> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest()
    const form = new FormData()
    for (const [part, value] of Object.entries(parts)) form.append(part, value)
    request.open(method, path)
    request.setRequestHeader('X-CSRF-Token', session.value?.csrf ?? '')
    for (const [header, value] of Object.entries(headers)) request.setRequestHeader(header, value)
    request.responseType = 'json'
    progress(0)
    request.upload.onprogress = (event) => progress(event.loaded / event.total)
    request.upload.onload = () => progress(1)
    request.onerror = () => reject(new Problem('The file could not be sent.', 'Try again.', 0))
    request.onabort = () => reject(new Problem('The reading was stopped.', 'Nothing was kept.', 0))
    request.onload = () => {
      const got = request.response as (Got & { title?: string; detail?: string }) | null
      if (request.status < 300 && got) resolve(got)
      else reject(new Problem(got?.title ?? `Datorum answers ${request.status}.`, got?.detail ?? '', request.status))
    }
    signal.addEventListener('abort', () => request.abort())
    request.send(form)
  })
}
