<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'

/** What stands beside a sheet: a title, a way to close it, and what it is about. */
defineProps<{ title: string; label: string }>()
const emit = defineEmits<{ close: [] }>()
</script>

<template>
  <aside class="panel" :aria-label="label">
    <header>
      <h2 class="clip" :title="title">{{ title }}</h2>
      <BButton variant="link" class="slate" aria-label="Close" @click="emit('close')">×</BButton>
    </header>
    <slot />
  </aside>
</template>

<style scoped>
.panel {
  padding: 14px 18px;
  overflow-y: auto;
  border-left: 1px solid var(--rule);
}
header {
  display: flex;
  justify-content: space-between;
}
header h2 {
  margin: 0;
}
@media (max-width: 767.98px), (max-height: 459.98px) {
  .panel {
    border-left: 0;
  }
}
</style>
