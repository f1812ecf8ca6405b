<script setup lang="ts">
/** How some things fared, as one bar: found, still to come, and in the way. */
const props = defineProps<{ good: number; later: number; bad: number; total: number; label: string }>()
const share = (count: number) => `${(100 * count) / Math.max(props.total, 1)}%`
</script>

<template>
  <div class="bar" role="img" :aria-label="label">
    <span class="good" :style="{ width: share(good) }"></span>
    <span class="later" :style="{ width: share(later) }"></span>
    <span class="bad" :style="{ width: share(bad) }"></span>
  </div>
</template>

<style scoped>
.bar {
  display: flex;
  height: 8px;
  background: var(--rule-faint);
}
.good {
  background: var(--moss);
}
.later {
  background: var(--marigold);
}
.bad {
  background: var(--brick);
}
</style>
