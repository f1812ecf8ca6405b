<script setup lang="ts">
import { BFormInput } from 'bootstrap-vue-next'
import { useEventListener } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import DialogBox from '@/parts/DialogBox.vue'
import { usePicked } from '@/parts/usePicked'
import { useTheme } from '@/parts/useTheme'
import { useMappingFields } from '@/stations/map/useMapping'
import { useDialogs } from '@/workbench/useDialogs'
import type { Overview } from '@/workbench/useImport'

const props = defineProps<{ overview: Overview }>()
const router = useRouter()
const { goTo, openShortcuts } = useDialogs()
const search = ref('')
const { data: view } = useMappingFields(computed(() => props.overview.id))

interface Place {
  text: string
  kind: string
  to?: string
  does?: () => void
}

const theme = useTheme()
function turnColours() {
  theme.value = theme.value === 'dark' ? 'light' : 'dark'
}
const places = computed<Place[]>(() => {
  const base = `/imports/${props.overview.id}`
  const stations = ['read', 'map', 'check', 'rehearse', 'run', 'verify'].map((name) => ({
    text: `${name[0]?.toUpperCase()}${name.slice(1)}`,
    kind: 'station',
    to: `${base}/${name}`,
  }))
  const fields = (view.value?.fields ?? []).map((field) => ({
    text: field.title,
    kind: 'field',
    to: `${base}/map?field=${field.path}`,
  }))
  const columns = (view.value?.columns ?? []).map((column) => ({
    text: column.name,
    kind: 'column of the sheet',
    to: `${base}/read?column=${encodeURIComponent(column.name)}`,
  }))
  const others = [
    { text: 'Rows to import', kind: 'filter', to: `${base}/read?filter=rows` },
    { text: 'A few records that show every case', kind: 'records', to: `${base}/map?records=telling` },
    { text: 'Held rows', kind: 'records', to: `${base}/check?records=held` },
    { text: 'Versions of the mapping', kind: 'list', to: `${base}/map?show=versions` },
    { text: 'Rules of your own', kind: 'list', to: `${base}/check?show=rules` },
    { text: 'All imports', kind: 'page', to: '/' },
    { text: 'Sites', kind: 'page', to: '/sites' },
    { text: 'Help', kind: 'page', to: '/help' },
    { text: 'All functions of formulas', kind: 'help', to: '/help#formulas' },
  ]
  const commands = [
    { text: theme.value === 'dark' ? 'Light colours' : 'Dark colours', kind: 'command', does: turnColours },
    { text: 'Keys', kind: 'command', does: openShortcuts },
  ]
  const words = search.value.trim().toLowerCase().split(/\s+/)
  return [...stations, ...fields, ...columns, ...others, ...commands]
    .filter((place) => words.every((word) => `${place.text} ${place.kind}`.toLowerCase().includes(word)))
    .slice(0, 12) as Place[]
})

watch(goTo, (open) => {
  if (open) search.value = ''
})
const { at, move, active } = usePicked(places, 'place', (now) => (now.length ? 0 : -1))

useEventListener(window, 'keydown', (event) => {
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k') {
    event.preventDefault()
    goTo.value = true
  }
})

function go(index: number) {
  const place = places.value[index]
  if (!place) return
  goTo.value = false
  if (place.does) place.does()
  else if (place.to) void router.push(place.to)
}
</script>

<template>
  <DialogBox v-model="goTo" title="Go to">
    <BFormInput
      v-model="search"
      placeholder="a station, a field, a column, a command"
      role="combobox"
      aria-label="Where to"
      aria-expanded="true"
      aria-controls="places"
      :aria-activedescendant="active()"
      @keydown.down.prevent="move(1)"
      @keydown.up.prevent="move(-1)"
      @keydown.enter.prevent="go(at)"
    />
    <ul id="places" role="listbox" aria-label="Places" class="places">
      <li
        v-for="(place, index) in places"
        :id="`place-${index}`"
        :key="place.kind + place.text"
        role="option"
        :aria-selected="index === at"
        :class="{ at: index === at }"
        @click="go(index)"
      >
        {{ place.text }} <span class="slate small">{{ place.kind }}</span>
      </li>
      <li v-if="!places.length" class="slate" role="option" aria-selected="false">Nothing is called that.</li>
    </ul>
  </DialogBox>
</template>

<style scoped>
.places {
  margin: 10px 0 0;
  padding: 0;
  list-style: none;
}
.places li {
  display: flex;
  justify-content: space-between;
  padding: 5px 8px;
  border-radius: 3px;
  cursor: pointer;
}
.places li.at {
  background: var(--petrol-tint);
}
</style>
