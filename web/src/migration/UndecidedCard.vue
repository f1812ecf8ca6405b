<script setup lang="ts">
import { BButton, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import type { Board } from '@/migration/useMigration'
import { counted, percent } from '@/parts/format'

/** A sheet that is like nothing that the site has: somebody says what it is, or leaves it out. */
const props = defineProps<{ sheet: Board['undecided'][number]; kinds: string[]; mayEdit: boolean }>()
const emit = defineEmits<{ of: [string]; letGo: [] }>()
const called = computed(() => [props.sheet.filename, props.sheet.sheet].filter(Boolean).join(', '))
const guessed = computed(() => props.sheet.guesses.map((one) => one.record_type))
const kind = ref(guessed.value[0] ?? props.kinds[0] ?? '')
const options = computed(() => [
  ...props.sheet.guesses.map((one) => ({
    value: one.record_type,
    text: `${one.record_type}: ${one.placed} of ${one.columns} columns, ${percent(one.score, 1)}`,
  })),
  ...props.kinds.filter((one) => !guessed.value.includes(one)).map((one) => ({ value: one, text: one })),
])
</script>

<template>
  <article class="undecided" :aria-label="called">
    <b class="clip" :title="sheet.headers.join(', ')">What is {{ called }}?</b>
    <span class="mono slate clip" :title="sheet.headers.join(', ')"
      >{{ counted(sheet.rows, 'row') }}: {{ sheet.headers.join(', ') }}</span
    >
    <div v-if="mayEdit" class="act">
      <BFormSelect v-model="kind" size="sm" :options="options" :aria-label="`What ${called} is`" />
      <BButton size="sm" variant="outline-primary" @click="emit('of', kind)">Take it so</BButton>
      <BButton size="sm" variant="link" @click="emit('letGo')">Leave out</BButton>
    </div>
  </article>
</template>

<style scoped>
.undecided {
  display: grid;
  flex: 0 1 400px;
  gap: 2px;
  min-width: 0;
  padding: 6px 10px;
  border: 1px dashed var(--marigold);
  border-radius: 4px;
}
.act {
  display: grid;
  grid-template-columns: minmax(100px, 1fr) auto auto;
  gap: 8px;
}
</style>
