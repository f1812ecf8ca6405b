<script setup lang="ts">
import type { Schemas } from '@/api/client'
import { counted, time } from '@/parts/format'

/** One site of the list, which leads to its page. */
defineProps<{ site: Schemas['SiteView'] }>()
</script>

<template>
  <section class="site" :aria-label="site.name">
    <h2>
      <RouterLink :to="`/sites/${site.id}`">{{ site.name }}</RouterLink>
    </h2>
    <p class="mono slate mb-1 address">{{ site.address }}</p>
    <p class="mb-1">
      <span class="slate">It calls itself</span> {{ site.title }}<span class="slate">, and keeps</span>
      {{ site.record_types.map((type) => `${type.title} (${counted(type.fields, 'field')})`).join(', ')
      }}<span class="slate">. Described {{ time(site.described_at) }}.</span>
    </p>
  </section>
</template>

<style scoped>
.site {
  padding: 0 0 14px;
  margin-bottom: 18px;
  border-bottom: 1px solid var(--rule);
}
.address {
  overflow-wrap: anywhere;
}
</style>
