<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { useEventListener, useDebounceFn } from '@vueuse/core'
import { BFormInput } from 'bootstrap-vue-next'
import { computed, ref, toRef, watch } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import { number } from '@/parts/format'
import { isTyping } from '@/workbench/useDialogs'

/** Finds rows of the sheet by a text, or those whose lines had one fault, and walks from one to the next. */
const props = defineProps<{ id: number; text: string; flag: string; sheet: string }>()
const emit = defineEmits<{ text: [string]; show: [Schemas['FoundRow']] }>()
const MOST = 1000
const input = ref<InstanceType<typeof BFormInput> | null>(null)
const at = ref(0)
const asks = computed(() => ({ text: props.text, flag: props.flag, sheet: props.sheet }))
const { data: found } = useQuery({
  queryKey: ['rows', toRef(props, 'id'), 'found', asks],
  enabled: computed(() => !!props.text.trim() || !!props.flag),
  queryFn: async () =>
    // The client widens tuples; the schema does not.
    (await answer(
      api.GET('/api/imports/{import_id}/rows/found', {
        params: { path: { import_id: props.id }, query: asks.value },
      }),
    )) as Schemas['FoundRow'][],
})
const asked = computed(() => !!props.text.trim() || !!props.flag)
const places = computed(() => (asked.value ? (found.value ?? []) : []))
const told = computed(() => {
  if (!asked.value || !found.value) return ''
  if (!places.value.length) return 'nothing found'
  const all = places.value.length < MOST ? number(places.value.length) : `the first ${number(MOST)}`
  return `${number(at.value + 1)} of ${all}`
})
const say = useDebounceFn((text: string) => emit('text', text), 200)

watch(places, () => go(0))
function go(to: number) {
  const count = places.value.length
  at.value = count ? (to + count) % count : 0
  const place = places.value[at.value]
  if (place) emit('show', place)
}
useEventListener(window, 'keydown', (event) => {
  if (event.key !== '/' || isTyping(event)) return
  event.preventDefault()
  input.value?.element?.focus()
})
</script>

<template>
  <span class="search" role="search">
    <BFormInput
      ref="input"
      :model-value="text"
      size="sm"
      type="search"
      placeholder="find in the sheet  /"
      aria-label="Find in the sheet"
      @update:model-value="say(String($event ?? ''))"
      @keydown.enter.prevent="go($event.shiftKey ? at - 1 : at + 1)"
      @keydown.esc.stop="input?.element?.blur()"
    />
    <span class="slate told" role="status">{{ told }}</span>
    <template v-if="places.length > 1">
      <button type="button" class="visually-plain" aria-label="The one before" @click="go(at - 1)">‹</button>
      <button type="button" class="visually-plain" aria-label="The next one" @click="go(at + 1)">›</button>
    </template>
  </span>
</template>

<style scoped>
.search {
  display: inline-flex;
  align-items: center;
  gap: 6px;
}
.search :deep(input) {
  width: 160px;
  min-height: 0;
  padding-top: 1px;
  padding-bottom: 1px;
}
.told {
  white-space: nowrap;
}
button {
  min-width: 24px;
  min-height: 24px;
  text-align: center;
}
</style>
