import { useQuery } from '@tanstack/vue-query'
import { useDebounceFn, useEventListener } from '@vueuse/core'
import { computed, ref, watch, type Ref } from 'vue'
import { away } from '@/api/away'
import { answer, api, Problem, type Schemas } from '@/api/client'
import { queries } from '@/api/queries'
import { session } from '@/session/session'
import { apart } from '@/stations/map/apart'
import { asKey, keysOf } from '@/stations/map/keys'
import { usedColumns } from '@/stations/map/renamed'
import { keepTrail, keptTrail } from '@/stations/map/undone'

export type Mapping = Schemas['Mapping']
export type FieldMapping = Schemas['FieldMapping']
export type Step = FieldMapping['steps'][number]

const SAVE_AFTER = 350
/** Bytes of requests that outlive their page; browsers refuse from 64 KiB on (Fetch, 4.6). */
const KEPT_ALIVE = 60_000
/** Saves on their way, by import. */
const underWay = new Map<number, Promise<void>>()

/** What was kept meanwhile by somebody else, or by oneself in another tab. */
export interface Conflict {
  version: number
  by: string
  mapping: Mapping
}
/** What could not be saved is kept aside in this tab, so that it outlives a sign-in and a reload. */
const asideKey = (id: number) => `mapping of import ${id}, not saved`

/** The mapping that is kept, with the fields it can feed and the columns it can draw on. */
export const useMappingFields = (id: Ref<number>) =>
  useQuery({
    queryKey: ['mapping', id],
    queryFn: () => answer(api.GET('/api/imports/{import_id}/mapping', { params: { path: { import_id: id.value } } })),
  })

/**
 * The mapping while it is edited: every change shows at once, can be undone, and is saved by itself shortly after.
 */
export function useMapping(id: Ref<number>) {
  const { data: view, error: loadError } = useMappingFields(id)
  const draft = ref<Mapping | null>(null)
  const version = ref(0)
  const past = ref<Mapping[]>([])
  const future = ref<Mapping[]>([])
  const saveError = ref<Error | null>(null)
  const unsaved = ref(false)
  const busy = ref(false)
  const conflict = ref<Conflict | null>(null)

  watch(
    view,
    (now) => {
      if (!now || unsaved.value || busy.value || conflict.value || (saveError.value && draft.value)) return
      if (!draft.value) ({ past: past.value, future: future.value } = keptTrail(id.value, now.version))
      version.value = now.version
      const aside = takeAside()
      draft.value = aside?.mapping ?? now.mapping
      if (!aside) return
      if (aside.version !== now.version) conflict.value = { version: now.version, by: now.by, mapping: now.mapping }
      else {
        unsaved.value = true
        void saveSoon()
      }
    },
    { immediate: true },
  )

  function takeAside(): { version: number; mapping: Mapping } | null {
    const text = sessionStorage.getItem(asideKey(id.value))
    sessionStorage.removeItem(asideKey(id.value))
    return text ? (JSON.parse(text) as { version: number; mapping: Mapping }) : null
  }
  async function save() {
    // Another part of the page may be saving the same mapping: what follows a save goes by what it leaves.
    const before = underWay.get(id.value)
    if (before) await before
    if (!draft.value || !unsaved.value) return
    unsaved.value = false
    busy.value = true
    const saving = store(draft.value)
    underWay.set(id.value, saving)
    await saving
    if (underWay.get(id.value) === saving) underWay.delete(id.value)
    busy.value = false
    if (unsaved.value) await save()
  }
  async function store(mapping: Mapping) {
    const body = { base_version: version.value, mapping }
    try {
      const saved = await answer(
        api.PUT('/api/imports/{import_id}/mapping', {
          params: { path: { import_id: id.value } },
          body,
          // What is on its way when the tab is closed still arrives, as far as browsers let it.
          keepalive: new TextEncoder().encode(JSON.stringify(body)).length < KEPT_ALIVE,
        }),
      )
      version.value = saved.version
      keepTrail(id.value, { version: saved.version, past: past.value, future: future.value })
      saveError.value = null
      takeAside()
      void queries.invalidateQueries({ queryKey: ['import', id] })
      void queries.invalidateQueries({ queryKey: ['mapping', id] })
    } catch (error) {
      saveError.value = error as Error
      const status = error instanceof Problem ? error.status : 0
      // What is at fault in itself is for the person to mend; anything else is only not saved yet.
      if (status !== 422) {
        const kept = { version: version.value, mapping }
        sessionStorage.setItem(asideKey(id.value), JSON.stringify(kept))
      }
      if (error instanceof Problem && error.status === 409 && error.current)
        conflict.value = error.current as unknown as Conflict
    }
  }
  /** Settle a conflict: one's own mapping stands, as the version after the other, or the other does. */
  function settle(mine: boolean) {
    if (!conflict.value) return
    const other = conflict.value
    conflict.value = null
    saveError.value = null
    takeAside()
    version.value = other.version
    past.value = [...past.value, mine ? other.mapping : draft.value!].slice(-200)
    future.value = []
    if (mine && draft.value) set(draft.value)
    else draft.value = other.mapping
  }
  // A server that was away, or a sign-in that ran out, is no reason to lose what was changed.
  watch([away, session], () => {
    const status = saveError.value instanceof Problem ? saveError.value.status : 200
    if (away.value || !session.value || ![0, 401, 503].includes(status)) return
    unsaved.value = true
    void saveSoon()
  })
  const saveSoon = useDebounceFn(save, SAVE_AFTER)
  // A tab that is closed in the moment before saving still sends what was changed.
  useEventListener(window, 'pagehide', () => {
    if (unsaved.value && draft.value) void store(draft.value)
  })

  function set(mapping: Mapping) {
    draft.value = mapping
    unsaved.value = true
    void saveSoon()
  }
  function change(part: Partial<Mapping>) {
    if (!draft.value) return
    past.value = [...past.value, draft.value].slice(-200)
    future.value = []
    set({ ...draft.value, ...part })
  }
  function setField(path: string, mapping: FieldMapping | null) {
    if (!draft.value) return
    const fields = { ...draft.value.fields }
    if (mapping) fields[path] = apart(mapping, draft.value.links?.[path])
    else delete fields[path]
    const used = usedColumns({ ...draft.value, fields })
    const left_out = draft.value.left_out.filter((column) => !used.has(column))
    change({ fields, left_out, ...(mapping ? {} : asKey(keysOf(draft.value).filter((key) => key !== path))) })
  }
  function setLink(path: string, rule: NonNullable<Mapping['links']>[string]) {
    const { fields, links } = draft.value ?? {}
    const fed = fields?.[path]
    change({ links: { ...links, [path]: rule }, ...(fed ? { fields: { ...fields, [path]: apart(fed, rule) } } : {}) })
  }
  /** Have addresses in a field's texts lead to records; by no rule they stay as they are. */
  function setAddresses(path: string, rule: NonNullable<Mapping['addresses']>[string] | null) {
    const others = Object.entries(draft.value?.addresses ?? {}).filter(([one]) => one !== path)
    change({ addresses: Object.fromEntries(rule ? [...others, [path, rule]] : others) })
  }
  function step(from: Ref<Mapping[]>, to: Ref<Mapping[]>) {
    const target = from.value.at(-1)
    if (!target || !draft.value) return
    from.value = from.value.slice(0, -1)
    to.value = [...to.value, draft.value]
    set(target)
  }
  async function feed(path: string, columns: string[]) {
    const mapping = await answer(
      api.POST('/api/imports/{import_id}/feed', {
        params: { path: { import_id: id.value } },
        body: { field: path, columns },
      }),
    )
    setField(path, mapping)
  }
  const unplaced = computed(() => {
    const settled = new Set(draft.value?.left_out)
    if (draft.value) usedColumns(draft.value).forEach((name) => settled.add(name))
    return (view.value?.columns ?? []).filter((column) => !settled.has(column.name))
  })

  return {
    view,
    draft,
    unplaced,
    saving: computed(() => unsaved.value || busy.value),
    error: computed(() => saveError.value ?? loadError.value),
    canUndo: computed(() => past.value.length > 0),
    canRedo: computed(() => future.value.length > 0),
    undo: () => step(past, future),
    redo: () => step(future, past),
    change,
    setField,
    setLink,
    setAddresses,
    feed,
    save,
    conflict,
    settle,
    leaveOut: (column: string) => change({ left_out: [...(draft.value?.left_out ?? []), column] }),
    bringBack: (column: string) =>
      change({ left_out: (draft.value?.left_out ?? []).filter((name) => name !== column) }),
  }
}
