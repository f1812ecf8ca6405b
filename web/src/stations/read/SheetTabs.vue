<script setup lang="ts">
import type { Schemas } from '@/api/client'
import { counted } from '@/parts/format'

/** The sheets on which an import draws, the main one first, one of them shown. */
defineProps<{ sheets: Schemas['SheetState'][]; role: string }>()
const emit = defineEmits<{ choose: [string] }>()
</script>

<template>
  <nav class="tabs" aria-label="Sheets">
    <button
      v-for="one in sheets"
      :key="one.role"
      type="button"
      class="visually-plain clip"
      :aria-current="one.role === role ? 'true' : undefined"
      :title="`${one.filename}, ${counted(one.rows, 'row')}`"
      @click="emit('choose', one.role)"
    >
      {{ one.role || one.dialect.sheet || one.filename }}
      <span class="slate">{{ counted(one.rows, 'row') }}</span>
    </button>
  </nav>
</template>

<style scoped>
.tabs {
  display: flex;
  gap: 2px;
  padding: 6px 18px 0;
  border-bottom: 1px solid var(--rule);
}
.tabs button {
  max-width: 320px;
  padding: 4px 12px 5px;
  border: 1px solid transparent;
  border-bottom: 0;
}
.tabs button[aria-current] {
  margin-bottom: -1px;
  border-color: var(--rule);
  background: var(--sheet);
  font-weight: 700;
}
.tabs .slate {
  margin-left: 6px;
  font-weight: 400;
}
</style>
