<script setup lang="ts">
import { BButton, BProgress } from 'bootstrap-vue-next'
import EmptyState from '@/parts/EmptyState.vue'
import { counted, number } from '@/parts/format'

/** How far a site is read, for as long as that takes. */
defineProps<{ title: string; read: number; onSite: number | null; mayStop: boolean; stopping: boolean }>()
defineEmits<{ stop: [] }>()
</script>

<template>
  <EmptyState :title="title">
    <BProgress :max="onSite || 1" :value="read" aria-label="Records read" />
    <p class="slate mt-2" role="status">
      {{ counted(read, 'record') }} read<template v-if="onSite"> of {{ number(onSite) }}</template
      >. You can close this tab; it goes on.
    </p>
    <BButton v-if="mayStop" variant="outline-primary" size="sm" :disabled="stopping" @click="$emit('stop')">
      Stop reading
    </BButton>
  </EmptyState>
</template>
