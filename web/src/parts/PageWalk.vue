<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed } from 'vue'
import { counted, number } from '@/parts/format'

/** A walk through many, some at a time; nothing where all are there. */
const props = defineProps<{ total: number; atOnce: number }>()
const offset = defineModel<number>({ required: true })
const last = computed(() => Math.min(offset.value + props.atOnce, props.total))
</script>

<template>
  <p v-if="total > atOnce" class="mb-0">
    {{ number(offset + 1) }}–{{ number(last) }} of {{ counted(total, 'record') }}
    <BButton size="sm" variant="link" :disabled="!offset" @click="offset -= atOnce">Before</BButton>
    <BButton size="sm" variant="link" :disabled="last >= total" @click="offset += atOnce">Next</BButton>
  </p>
</template>
