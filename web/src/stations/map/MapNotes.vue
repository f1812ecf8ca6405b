<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import ConflictNote from '@/stations/map/ConflictNote.vue'
import DriftNote from '@/stations/map/DriftNote.vue'
import EarlierNote from '@/stations/map/EarlierNote.vue'
import KeyNote from '@/stations/map/KeyNote.vue'
import { withRenamed } from '@/stations/map/renamed'
import type { Conflict, Mapping } from '@/stations/map/useMapping'

/** What is to be known of a mapping before its lines are looked at. */
const props = defineProps<{
  id: number
  drift: Schemas['Drift'] | null
  mapping: Mapping
  fields: Schemas['Field'][]
  /** The paths of the fields that may be the match key. */
  keys: string[]
  conflict: Conflict | null
  disabled: boolean
}>()
const emit = defineEmits<{ change: [Partial<Mapping>]; settle: [boolean] }>()
const titles = computed(() => Object.fromEntries(props.fields.map((field) => [field.path, field.title])))
const fedKeys = computed(() =>
  props.fields.filter((field) => field.path in (props.mapping.fields ?? {}) && props.keys.includes(field.path)),
)
</script>

<template>
  <div class="notes">
    <ConflictNote
      v-if="conflict"
      :id="id"
      :conflict="conflict"
      :mine="mapping"
      :titles="titles"
      @settle="emit('settle', $event)"
    />
    <EarlierNote :id="id" :titles="titles" :disabled="disabled" @take="emit('change', $event)" />
    <DriftNote
      v-if="drift"
      :drift="drift"
      :disabled="disabled"
      @rename="emit('change', withRenamed(mapping, $event))"
    />
    <KeyNote
      v-if="!mapping.match_key"
      :keys="fedKeys"
      :disabled="disabled"
      @choose="emit('change', { match_key: $event })"
    />
  </div>
</template>

<style scoped>
.notes > :deep(div) {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 2px 14px;
  padding: 6px 18px;
  border-bottom: 1px solid var(--rule);
  border-left: 3px solid var(--marigold);
  background: var(--sheet);
}
.notes > :deep(.conflict) {
  border-left-color: var(--brick);
}
.notes > :deep(.earlier) {
  border-left-color: var(--petrol);
}
</style>
