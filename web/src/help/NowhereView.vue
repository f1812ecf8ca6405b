<script setup lang="ts">
import { useRoute } from 'vue-router'
import EmptyState from '@/parts/EmptyState.vue'
import PageShell from '@/parts/PageShell.vue'

const route = useRoute()
</script>

<template>
  <PageShell title="No such page">
    <EmptyState title="There is no page at this address">
      <p class="mono slate address">{{ route.fullPath }}</p>
      <p class="slate">It may have been mistyped, or cut when it was copied. Nothing was changed.</p>
      <RouterLink class="btn btn-primary" to="/">Go to the imports</RouterLink>
    </EmptyState>
  </PageShell>
</template>

<style scoped>
.address {
  overflow-wrap: anywhere;
}
</style>
