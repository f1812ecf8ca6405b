<script setup lang="ts">
import TopBar from '@/workbench/TopBar.vue'

/** A page that is not an import: the bar on top, its title, and what it is about. */
defineProps<{ title: string }>()
</script>

<template>
  <div class="shell">
    <TopBar
      ><h1 class="title">{{ title }}</h1></TopBar
    >
    <main class="scroll">
      <div class="page"><slot /></div>
    </main>
  </div>
</template>

<style scoped>
.shell {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
  height: 100%;
}
.title {
  margin: 0;
  color: var(--slate-text);
  font-size: inherit;
  font-weight: 400;
}
.scroll {
  overflow: auto;
}
@media (max-width: 767.98px), (max-height: 459.98px) {
  .shell {
    display: block;
    height: auto;
  }
  .page {
    padding: 16px 12px;
  }
}
</style>
