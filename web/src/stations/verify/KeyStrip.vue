<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { counted } from '@/parts/format'

/** Which stretch the keys cover in the sheet, on the site before and now: gaps and what both have are seen at once. */
const props = defineProps<{ strip: Schemas['KeyStrip'] }>()
const whole = computed(() => props.strip.high - props.strip.low + 1)
/** No span is so narrow that it cannot be seen. */
const LEAST = 0.25
const lines = computed(() =>
  (['sheet', 'before', 'now'] as const).map((name) => ({
    name,
    title: { sheet: 'sheet', before: 'site before', now: 'site now' }[name],
    count: props.strip[name].reduce((sum, span) => sum + span.count, 0),
    spans: props.strip[name].map((span) => ({
      left: ((span.low - props.strip.low) / whole.value) * 100,
      width: Math.max(((span.high - span.low + 1) / whole.value) * 100, LEAST),
    })),
  })),
)
</script>

<template>
  <section class="strip" :aria-label="`${strip.title}, from the sheet and on the site`">
    <h3 class="panel-heading">
      <span>{{ strip.title }}, from the sheet and on the site</span>
      <span>{{ strip.first }} to {{ strip.last }}</span>
    </h3>
    <div v-for="line in lines" :key="line.name" class="line">
      <span class="slate">{{ line.title }}</span>
      <div class="track" role="img" :aria-label="`${line.title}: ${counted(line.count, 'key')}`">
        <i
          v-for="span in line.spans"
          :key="span.left"
          :class="line.name"
          :style="{ left: `${span.left}%`, width: `${span.width}%` }"
        ></i>
      </div>
    </div>
    <p class="slate said">{{ strip.said.join('; ') }}</p>
  </section>
</template>

<style scoped>
.strip {
  padding: 0 20px 6px;
  background: var(--sheet);
  border-bottom: 1px solid var(--rule);
}
.line {
  display: grid;
  grid-template-columns: 84px minmax(0, 1fr);
  align-items: center;
  height: 20px;
  font-size: 0.8rem;
}
.track {
  position: relative;
  height: 12px;
  background: var(--rule-faint);
}
.track i {
  position: absolute;
  height: 100%;
}
.sheet {
  background: var(--petrol);
}
.before {
  background: var(--slate);
}
.now {
  background: var(--moss);
}
.said {
  margin: 2px 0 0 84px;
  min-height: 1.3em;
  font-size: 0.8rem;
}
</style>
