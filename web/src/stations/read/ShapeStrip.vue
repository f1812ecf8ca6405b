<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { counted, number } from '@/parts/format'

/** How rows make records, above the sheet: what was found, with its reasons and counts. */
const props = defineProps<{ view: Schemas['ShapeView']; kind: string; open: boolean; asRecords: boolean }>()
const emit = defineEmits<{ change: []; records: [boolean] }>()
const one = computed(() => props.kind.replaceAll('-', ' ').replace(/s$/, ''))
const shaped = computed(() => props.view.shapes.length > 0)
const said = computed(() => {
  const reasons = props.view.reasons.length ? props.view.reasons : props.view.sentences
  return reasons.join('; ')
})
</script>

<template>
  <div class="strip">
    <span class="clip" :title="[...view.sentences, ...view.reasons].join('\n')">
      <b v-if="shaped">{{ counted(view.rows, 'row') }} are {{ counted(view.records, one) }}</b>
      <b v-else>Each of {{ counted(view.rows, 'row') }} is {{ /^[aeiou]/.test(one) ? 'an' : 'a' }} {{ one }}</b>
      <span class="slate ms-2">{{
        shaped ? said : view.found.length ? `${number(view.found.length)} other ways are seen in it` : ''
      }}</span>
    </span>
    <span class="acts">
      <BButton
        v-if="shaped"
        variant="link"
        size="sm"
        class="p-0"
        :aria-pressed="asRecords"
        @click="emit('records', !asRecords)"
        >{{ asRecords ? 'Show rows' : `Show ${kind.replaceAll('-', ' ')}` }}</BButton
      >
      <BButton variant="link" size="sm" class="p-0" :aria-pressed="open" @click="emit('change')">{{
        open ? 'Close' : 'Change'
      }}</BButton>
    </span>
  </div>
</template>

<style scoped>
.strip {
  display: flex;
  justify-content: space-between;
  gap: 18px;
  padding: 6px 18px;
  border-bottom: 1px solid var(--rule);
  font-size: 0.83rem;
}
.acts {
  display: flex;
  flex: none;
  gap: 14px;
}
@media (max-width: 767.98px), (max-height: 459.98px) {
  .strip {
    flex-wrap: wrap;
  }
}
</style>
