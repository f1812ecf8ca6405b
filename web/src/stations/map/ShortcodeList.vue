<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { number } from '@/parts/format'
import StateMark from '@/parts/StateMark.vue'

/** The shortcodes in the texts that feed a field, and which of them its steps leave there. */
const props = defineProps<{ shortcodes: Schemas['ShortcodeCount'][]; ruled: boolean; disabled: boolean }>()
const emit = defineEmits<{ rule: [] }>()
const left = computed(() => props.shortcodes.some((one) => one.left))
</script>

<template>
  <section v-if="shortcodes.length" aria-label="Shortcodes">
    <h3 class="panel-heading">
      <span>Shortcodes</span>
      <BButton v-if="left && !ruled && !disabled" variant="link" size="sm" class="p-0" @click="emit('rule')"
        >Say what becomes of them</BButton
      >
    </h3>
    <ul>
      <li v-for="one in shortcodes" :key="one.name">
        <StateMark :state="one.left ? (ruled ? 'same' : 'warned') : 'good'" />
        <span class="mono clip">[{{ one.name }}]</span>
        <span class="slate">{{ one.left ? (ruled ? 'kept' : 'left in the text') : 'gone' }}</span>
        <span class="mono" :title="`in ${number(one.supplied)} of the first rows`">{{ number(one.supplied) }}</span>
      </li>
    </ul>
  </section>
</template>

<style scoped>
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
li {
  display: grid;
  grid-template-columns: 16px minmax(0, 1fr) auto 48px;
  gap: 6px;
  align-items: baseline;
  padding: 3px 0;
  border-bottom: 1px solid var(--rule-faint);
}
li > :last-child {
  text-align: right;
}
</style>
