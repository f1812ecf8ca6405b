<script setup lang="ts">
import type { Keys } from '@/help/guide'

defineProps<{ keys: Keys }>()
</script>

<template>
  <dl class="keys">
    <template v-for="[key, does] in keys" :key="key">
      <dt>
        <kbd>{{ key }}</kbd>
      </dt>
      <dd>{{ does }}</dd>
    </template>
  </dl>
</template>

<style scoped>
.keys {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 5px 16px;
  margin: 0;
}
dd {
  margin: 0;
}
</style>
