<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { ref } from 'vue'
import { counted, time } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import { useClearLearnt, useLearnt } from '@/sites/useLearnt'

/** What suggestions go by for a record type: what people chose, and what they took away. */
const props = defineProps<{ site: number; type: string; mayEdit: boolean }>()
const open = ref(false)
const learnt = useLearnt(
  () => ({ site: props.site, type: props.type }),
  () => open.value,
)
const clear = useClearLearnt()
const toggled = (event: Event) => (open.value = (event.target as HTMLDetailsElement).open)
</script>

<template>
  <details class="learnt" @toggle="toggled">
    <summary>What suggestions have learnt</summary>
    <template v-if="learnt.data.value">
      <p v-if="!learnt.data.value.length" class="slate mb-1">
        Nothing yet: it is learnt from mappings that people change.
      </p>
      <ul v-else class="list">
        <li v-for="one in learnt.data.value.slice(0, 60)" :key="`${one.field} ${one.columns.join()}`">
          <b>{{ one.columns.join(' + ') }}</b>
          {{ one.refused ? 'does not feed' : 'feeds' }} <span class="mono">{{ one.field }}</span>
          <template v-if="one.steps.length">, {{ counted(one.steps.length, 'step') }}</template>
          <span class="slate"> ({{ one.by }}, {{ time(one.at) }}, {{ one.import_name }})</span>
        </li>
      </ul>
      <BButton
        v-if="mayEdit && learnt.data.value.length"
        variant="link"
        size="sm"
        class="p-0"
        :disabled="clear.isPending.value"
        @click="clear.mutate({ site, type })"
        >Go by none of it any more</BButton
      >
    </template>
    <ProblemNote :error="learnt.error.value ?? clear.error.value" />
  </details>
</template>

<style scoped>
.learnt {
  margin-top: 18px;
}
.list {
  margin: 4px 0;
  padding: 0;
  list-style: none;
}
.list li {
  padding: 2px 0;
}
</style>
