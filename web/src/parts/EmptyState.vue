<script setup lang="ts">
defineProps<{ title: string }>()
</script>

<template>
  <div class="empty">
    <h2>{{ title }}</h2>
    <slot />
  </div>
</template>

<style scoped>
.empty {
  max-width: 520px;
  margin: 12vh auto 0;
  padding: 0 24px;
  text-align: center;
}
</style>
