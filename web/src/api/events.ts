const AGAIN = 2000

/** Follows what is told at an address, for as long as anybody sees the page; `told` is given what each word holds.
 * Gives what ends it. */
export function follow<Told>(address: string, told: (said: Told) => void): () => void {
  let source: EventSource | null = null
  let later: ReturnType<typeof setTimeout> | undefined

  function begin() {
    // In surroundings without events what is shown is what was asked for.
    if (!('EventSource' in globalThis) || source) return
    source = new EventSource(address)
    source.addEventListener('told', (event: MessageEvent<string>) => told(JSON.parse(event.data) as Told))
    source.addEventListener('gone', end)
    source.addEventListener('error', () => {
      // A browser comes back by itself after a break, but not after a refusal, as when the database is away.
      if (source?.readyState !== EventSource.CLOSED) return
      end()
      later = setTimeout(begin, AGAIN)
    })
  }
  function end() {
    clearTimeout(later)
    source?.close()
    source = null
  }
  // A browser has few connections to one server for all its tabs: those that nobody looks at hold none.
  const seen = () => (document.hidden ? end() : begin())
  document.addEventListener('visibilitychange', seen)
  seen()
  return () => {
    document.removeEventListener('visibilitychange', seen)
    end()
  }
}
