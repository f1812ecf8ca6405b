<script setup lang="ts">
import StateMark from '@/parts/StateMark.vue'
import { BButton } from 'bootstrap-vue-next'
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { number } from '@/parts/format'

/** How the sheet's columns differ from those that the mapping was made for. */
const props = defineProps<{ drift: Schemas['Drift']; disabled: boolean }>()
const emit = defineEmits<{ rename: [Schemas['Renamed'][]] }>()
const told = computed(() => {
  const { new: fresh, gone, renamed } = props.drift
  const columns = (count: number, what: string) => (count ? `${number(count)} ${what}` : '')
  const parts = [
    columns(fresh.length - renamed.length, 'new'),
    columns(gone.length - renamed.length, 'gone'),
    columns(renamed.length, 'renamed?'),
  ].filter(Boolean)
  return parts.join(', ')
})
const lost = computed(() => props.drift.gone.filter((name) => !props.drift.renamed.some((one) => one.before === name)))
</script>

<template>
  <div role="status">
    <StateMark state="warned" />
    <span
      >The sheet's columns are not those that the mapping was made for: <b>{{ told }}</b></span
    >
    <span v-if="lost.length" class="slate">gone: {{ lost.join(', ') }}</span>
    <span v-for="one in drift.renamed" :key="one.before" :title="one.reason"
      >{{ one.before }} → {{ one.after }}
      <BButton v-if="!disabled" variant="link" size="sm" class="p-0" @click="emit('rename', [one])"
        >it is the same</BButton
      ></span
    >
    <BButton
      v-if="drift.renamed.length > 1 && !disabled"
      variant="link"
      size="sm"
      class="p-0"
      @click="emit('rename', drift.renamed)"
      >all are</BButton
    >
  </div>
</template>
