<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { BButton, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import type { Schemas } from '@/api/client'
import { queries } from '@/api/queries'
import type { Listed } from '@/imports/states'
import ProblemNote from '@/parts/ProblemNote.vue'
import ReadingProgress from '@/reading/ReadingProgress.vue'
import { useReading } from '@/reading/useReading'
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

async function take(file: File | undefined) {
  if (!file || !target.value) return
  const [site, type] = target.value.split('/') as [string, string]
  error.value = null
  try {
    const made = await reading.send('POST', '/api/imports', {
      file,
      site_id: site,
      record_type: type,
      ...(props.like ? { like: String(props.like.id) } : {}),
    })
    await queries.invalidateQueries({ queryKey: ['imports'] })
    await router.push(`/imports/${made.id}/read`)
  } catch (caught) {
    error.value = caught as Error
  } finally {
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
  void take(event.dataTransfer?.files[0])
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
    <h2>Drop a file here, or paste cells</h2>
    <p class="slate">
      CSV, a workbook (XLSX, XLS, ODS), JSON, XML, a feed, or a ZIP of these. Nothing reaches the site before you have
      checked and rehearsed it.
    </p>
    <div class="line">
      <label for="target">It becomes</label>
      <BFormSelect id="target" v-model="target" :options="targets" class="target" />
      <BButton variant="primary" :disabled="reading.underWay.value" @click="chooser?.click()">Choose a file</BButton>
      <span v-if="like"
        >mapped as <b>{{ like.name }}</b> <span class="mono slate">{{ like.filename }}</span>
        <BButton variant="link" size="sm" @click="emit('alone')">by itself instead</BButton></span
      >
      <input
        ref="chooser"
        type="file"
        :accept="accepted"
        class="visually-hidden"
        tabindex="-1"
        aria-label="File"
        @change="take(($event.target as HTMLInputElement).files?.[0])"
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
</style>
