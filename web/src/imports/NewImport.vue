<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { BButton, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { answer, api, type Schemas } from '@/api/client'
import { queries } from '@/api/queries'
import { drop as dropOn } from '@/migration/dropping'
import { useStartMigration } from '@/migration/useMigration'
import type { Listed } from '@/imports/states'
import ProblemNote from '@/parts/ProblemNote.vue'
import ReadingProgress from '@/reading/ReadingProgress.vue'
import { useReading } from '@/reading/useReading'
import { useSources } from '@/sites/useSources'
import { isTyping } from '@/workbench/useDialogs'

const props = defineProps<{
  sites: Schemas['SiteView'][]
  /** An import whose mapping and policy the file gets. */
  like: Listed | null
}>()
const emit = defineEmits<{ alone: [] }>()
const router = useRouter()
const targets = computed(() =>
  props.sites.flatMap((site) =>
    site.record_types.map((type) => ({ value: `${site.id}/${type.name}`, text: `${type.title} on ${site.name}` })),
  ),
)
const accepted =
  '.csv,.tsv,.tab,.txt,.xlsx,.xlsm,.xls,.ods,.json,.ndjson,.jsonl,.xml,.rss,.atom,.zip,.gz,text/csv,text/plain'
const target = ref(props.like ? `${props.like.site_id}/${props.like.record_type}` : (targets.value[0]?.value ?? ''))
const chooser = ref<HTMLInputElement | null>(null)
const over = ref(false)
const reading = useReading()
const error = ref<Error | null>(null)
const aim = computed(() => {
  const [site, type] = target.value.split('/') as [string, string]
  return { site: Number(site), type }
})
/** The sheets of what was given for this site before. */
const { sheets } = useSources(computed(() => aim.value.site || 0))
const here = ref(-1)
const menu = computed(() => [
  { value: -1, text: 'or a sheet that is here already' },
  ...sheets.value.map(({ text }, value) => ({ value, text })),
])

const migrate = useStartMigration()
/** Several files at once are a migration, on a board of their own. */
async function takeAll(files: FileList | null | undefined) {
  if (!files || files.length < 2) return take(files?.[0])
  error.value = null
  try {
    const site = props.sites.find((one) => one.id === aim.value.site)
    const board = await migrate.mutateAsync({ site_id: aim.value.site, name: `Move to ${site?.title ?? 'the site'}` })
    dropOn(board.id, files)
    await router.push(`/migrations/${board.id}`)
  } catch (caught) {
    error.value = caught as Error
  }
}
const take = (file: File | undefined) =>
  file &&
  begin(() =>
    reading.send<Schemas['Overview']>('POST', '/api/imports', {
      file,
      site_id: String(aim.value.site),
      record_type: aim.value.type,
      ...(props.like ? { like: String(props.like.id) } : {}),
    }),
  )

function takeSheet(at: number) {
  here.value = at
  const one = sheets.value[at]
  if (!one) return
  void begin(() =>
    reading.during((name) =>
      answer(
        api.POST('/api/imports/from-source', {
          params: { header: { 'X-Reading': name } },
          body: {
            site_id: aim.value.site,
            record_type: aim.value.type,
            source_id: one.source,
            sheet: one.sheet || null,
            like: props.like?.id ?? null,
          },
        }),
      ),
    ),
  )
}

async function begin(read: () => Promise<Schemas['Overview']>) {
  if (!target.value) return
  error.value = null
  try {
    const made = await read()
    await Promise.all(['imports', 'sources'].map((part) => queries.invalidateQueries({ queryKey: [part] })))
    await router.push(`/imports/${made.id}/read`)
  } catch (caught) {
    error.value = caught as Error
  } finally {
    here.value = -1
    if (chooser.value) chooser.value.value = ''
  }
}

// Cells copied in a spreadsheet come as lines with tabs.
useEventListener(window, 'paste', (event) => {
  const text = event.clipboardData?.getData('text/plain') ?? ''
  if (isTyping(event) || !text.includes('\n')) return
  void take(new File([text], 'pasted.txt', { type: 'text/plain' }))
})

function drop(event: DragEvent) {
  over.value = false
  void takeAll(event.dataTransfer?.files)
}
</script>

<template>
  <section
    class="drop"
    :class="{ over }"
    aria-label="New import"
    @dragover.prevent="over = true"
    @dragleave="over = false"
    @drop.prevent="drop"
  >
    <h2>Drop a file here, or several of a move at once, or paste cells</h2>
    <p class="slate">
      CSV, a workbook (XLSX, XLS, ODS), JSON, XML, a feed, or a ZIP of these. Nothing reaches the site before you have
      checked and rehearsed it.
    </p>
    <div class="line">
      <label for="target">It becomes</label>
      <BFormSelect id="target" v-model="target" :options="targets" class="target" />
      <BButton variant="primary" :disabled="reading.underWay.value" @click="chooser?.click()">Choose a file</BButton>
      <BFormSelect
        v-if="sheets.length"
        class="target here"
        :model-value="here"
        :options="menu"
        :disabled="reading.underWay.value"
        aria-label="A sheet that is here already"
        @update:model-value="takeSheet(Number($event))"
      />
      <span v-if="like"
        >mapped as <b>{{ like.name }}</b> <span class="mono slate">{{ like.filename }}</span>
        <BButton variant="link" size="sm" @click="emit('alone')">by itself instead</BButton></span
      >
      <input
        ref="chooser"
        type="file"
        multiple
        :accept="accepted"
        class="visually-hidden"
        tabindex="-1"
        aria-label="File"
        @change="takeAll(($event.target as HTMLInputElement).files)"
      />
    </div>
    <ReadingProgress
      v-if="reading.shown.value"
      class="mt-3"
      :sent="reading.sent.value"
      :state="reading.state.value"
      @stop="reading.stop"
    />
    <ProblemNote :error="error" class="mt-3 mb-0" />
  </section>
</template>

<style scoped>
.drop {
  padding: 26px 28px;
  border: 1px dashed var(--slate);
  border-radius: 4px;
  background: var(--sheet);
}
.drop.over {
  border-color: var(--petrol);
  background: var(--petrol-tint);
}
.line {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 10px;
  margin-top: 12px;
}
.target {
  width: auto;
}
.here {
  max-width: 300px;
}
</style>
