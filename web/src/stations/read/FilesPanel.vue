<script setup lang="ts">
import { BButton, BProgress } from 'bootstrap-vue-next'
import { computed, ref, toRef, watch } from 'vue'
import { queries } from '@/api/queries'
import { bytes, counted, number } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import ShareBar from '@/parts/ShareBar.vue'
import SidePanel from '@/parts/SidePanel.vue'
import StateMark from '@/parts/StateMark.vue'
import ReadingProgress from '@/reading/ReadingProgress.vue'
import { useReading } from '@/reading/useReading'
import { useFiles } from '@/stations/read/useFiles'

/** The pictures and other files that cells name: which are here, which can be fetched, which are missing. */
const props = defineProps<{ id: number; disabled: boolean }>()
const emit = defineEmits<{ close: [] }>()
const reading = useReading()
const { view, error, fetching, add, fetch, stop, forget } = useFiles(toRef(props, 'id'), reading)
const chooser = ref<HTMLInputElement | null>(null)
const over = ref(false)
const lacking = computed(() => (view.value ? view.value.named - view.value.found - view.value.to_fetch : 0))
const failed = computed(() => [add, fetch, stop, forget].find((one) => one.error.value)?.error.value)
watch(fetching, (now, before) => {
  if (before && !now) void queries.invalidateQueries({ queryKey: ['import', props.id] })
})
function take(files: FileList | null | undefined) {
  const chosen = [...(files ?? [])]
  if (chosen.length) add.mutate(chosen)
}
function dropped(event: DragEvent) {
  over.value = false
  if (!props.disabled) take(event.dataTransfer?.files)
}
function choose(input: HTMLInputElement) {
  take(input.files)
  input.value = ''
}
</script>

<template>
  <SidePanel title="Files" label="Files" @close="emit('close')">
    <div
      v-if="view"
      class="place"
      :class="{ over }"
      @dragover.prevent="over = true"
      @dragleave.self="over = false"
      @drop.prevent="dropped"
    >
      <p class="slate">Pictures and other files that cells name, for {{ view.fields.join(' and ') }}.</p>
      <template v-if="view.named">
        <h3 class="panel-heading">
          <span>Named in cells</span><span>{{ number(view.named) }}</span>
        </h3>
        <ShareBar
          :good="view.found"
          :later="view.to_fetch"
          :bad="lacking"
          :total="view.named"
          :label="`${view.found} here, ${view.to_fetch} to be fetched, ${lacking} missing`"
        />
        <ul class="kinds">
          <li>
            <StateMark state="good" /> <span>here</span><span class="mono">{{ number(view.found) }}</span>
          </li>
          <li v-if="view.to_fetch">
            <StateMark state="changed" /> <span>at addresses, not here</span
            ><span class="mono">{{ number(view.to_fetch) }}</span>
          </li>
          <li v-if="lacking">
            <StateMark state="held" /> <span>missing</span><span class="mono">{{ number(lacking) }}</span>
          </li>
        </ul>
      </template>
      <p v-else class="slate">No cell that is mapped names a file yet.</p>

      <template v-if="view.fetching && view.fetching.state !== 'failed'">
        <BProgress :max="view.fetching.total || view.to_fetch || 1" :value="view.fetching.done" class="mt-2 mb-1" />
        <p role="status">
          <template v-if="fetching">Fetching, {{ number(view.fetching.done) }} so far</template>
          <template v-else>Fetching was stopped; what came is kept</template>
          <BButton v-if="fetching && !disabled" variant="link" size="sm" @click="stop.mutate()">Stop</BButton>
        </p>
      </template>
      <p v-else-if="view.fetching" role="alert"><StateMark state="held" /> {{ view.fetching.error }}</p>
      <ReadingProgress
        v-if="reading.shown.value"
        :sent="reading.sent.value"
        :state="reading.state.value"
        @stop="reading.stop"
      />
      <div v-if="!disabled" class="act">
        <input
          ref="chooser"
          type="file"
          multiple
          hidden
          aria-label="Archive or files"
          @change="choose($event.target as HTMLInputElement)"
        />
        <BButton size="sm" variant="outline-primary" :disabled="reading.underWay.value" @click="chooser?.click()"
          >Add a ZIP or files</BButton
        >
        <BButton
          v-if="view.to_fetch && !fetching"
          size="sm"
          variant="outline-primary"
          :disabled="fetch.isPending.value"
          @click="fetch.mutate()"
          >Fetch {{ counted(view.to_fetch, 'file') }}</BButton
        >
      </div>
      <ProblemNote :error="failed ?? error" class="mt-2" />

      <template v-if="view.missing.length">
        <h3 class="panel-heading">
          <span>Not here</span>
          <span v-if="view.missing.length < view.named - view.found"
            >{{ number(view.missing.length) }} of {{ number(view.named - view.found) }}</span
          >
        </h3>
        <ul class="missing">
          <li v-for="one in view.missing" :key="one.value">
            <span class="clip mono" :title="one.value">{{ one.value }}</span>
            <span class="slate small">{{ one.why }}</span>
          </li>
        </ul>
      </template>
      <template v-if="view.held || view.of_migration">
        <h3 class="panel-heading">
          <span>Came in</span><span>{{ bytes(view.size) }}</span>
        </h3>
        <ul class="kinds">
          <li v-for="one in view.archives" :key="one.name">
            <span></span><span class="clip" :title="one.name">{{ one.name || 'fetched' }}</span
            ><span class="mono">{{ number(one.files) }}</span>
          </li>
          <li v-if="view.of_migration">
            <span></span><span>those of the migration</span><span class="mono">{{ number(view.of_migration) }}</span>
          </li>
        </ul>
        <BButton v-if="view.held && !disabled" variant="link" size="sm" class="p-0" @click="forget.mutate()"
          >Remove {{ counted(view.held, 'file') }}</BButton
        >
      </template>
    </div>
    <ProblemNote v-else :error="error" />
  </SidePanel>
</template>

<style scoped>
.place {
  min-height: 60%;
}
.over {
  outline: 2px dashed var(--petrol);
  outline-offset: 4px;
}
.kinds,
.missing {
  margin: 4px 0 0;
  padding: 0;
  list-style: none;
}
.kinds li {
  display: grid;
  grid-template-columns: 16px minmax(0, 1fr) auto;
  gap: 4px;
  align-items: baseline;
  padding: 3px 0;
  border-bottom: 1px solid var(--rule-faint);
}
.missing li {
  display: grid;
  padding: 3px 0;
  border-bottom: 1px solid var(--rule-faint);
}
.act {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin-top: 10px;
}
</style>
