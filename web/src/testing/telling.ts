/** Stands in for a server's events: what it would tell, and who listens. */
export class Telling extends EventTarget {
  static readonly CLOSED = 2
  static open: Telling[] = []
  readyState = 1
  constructor(readonly address: string) {
    super()
    Telling.open.push(this)
  }
  tell(data: object) {
    this.dispatchEvent(new MessageEvent('told', { data: JSON.stringify(data) }))
  }
  refuse() {
    this.readyState = Telling.CLOSED
    this.dispatchEvent(new Event('error'))
  }
  close() {
    Telling.open = Telling.open.filter((one) => one !== this)
  }
}
