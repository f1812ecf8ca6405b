<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'

/** Where a link is looked for, and in which order. */
type Where = NonNullable<Schemas['LinkRule']['look']>[number]
const props = defineProps<{ look: Where[]; disabled: boolean }>()
const emit = defineEmits<{ change: [Where[]] }>()
const places: Record<Where, string> = { site: 'the site', sheet: 'this sheet', imports: 'other imports' }
const all = computed(() => [
  ...props.look,
  ...(Object.keys(places) as Where[]).filter((one) => !props.look.includes(one)),
])
function toggle(one: Where) {
  emit('change', props.look.includes(one) ? props.look.filter((other) => other !== one) : [...props.look, one])
}
function sooner(one: Where) {
  const at = props.look.indexOf(one)
  if (at > 0) emit('change', props.look.toSpliced(at, 1).toSpliced(at - 1, 0, one))
}
</script>

<template>
  <div v-for="one in all" :key="one" class="where">
    <label>
      <input type="checkbox" :checked="look.includes(one)" :disabled="disabled" @change="toggle(one)" />
      {{ places[one] }}
    </label>
    <button
      v-if="look.indexOf(one) > 0 && !disabled"
      type="button"
      class="visually-plain slate"
      :aria-label="`Look in ${places[one]} sooner`"
      @click="sooner(one)"
    >
      ↑
    </button>
  </div>
</template>

<style scoped>
.where {
  display: flex;
  justify-content: space-between;
}
</style>
