<script setup lang="ts">
import { BFormInput } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { useFunctions } from '@/formula/useFormula'
import { counted } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'

/** All functions that formulas know, found by any word of what they do. */
const { data: functions, error } = useFunctions()
const search = ref('')
const found = computed(() => {
  const words = search.value.trim().toLowerCase().split(/\s+/)
  return (functions.value ?? []).filter((one) => {
    const said = `${one.signature} ${one.summary} ${one.group}`.toLowerCase()
    return words.every((word) => said.includes(word))
  })
})
const groups = computed(() => [...new Set(found.value.map((one) => one.group))])
</script>

<template>
  <p>
    A formula is an expression of the open standard OpenFormula over the columns of a row. It begins with
    <code>=</code>; columns stand in square brackets, texts in straight double quotes, and <code>;</code> divides what a
    function is given: <code>=PROPER(TRIM([Surname]))</code>. <code>THIS()</code> is the value so far.
  </p>
  <BFormInput v-model="search" type="search" placeholder="find a function" aria-label="Find a function" class="mb-2" />
  <p class="slate" role="status">{{ counted(found.length, 'function') }}</p>
  <ProblemNote :error="error" />
  <section v-for="group in groups" :key="group">
    <h3 class="panel-heading">
      <span>{{ group }}</span>
    </h3>
    <dl>
      <template v-for="one in found.filter((other) => other.group === group)" :key="one.name">
        <dt class="mono">{{ one.signature }}</dt>
        <dd>{{ one.summary }}</dd>
      </template>
    </dl>
  </section>
</template>

<style scoped>
dl {
  margin: 0;
}
dt {
  font-weight: 400;
  overflow-wrap: anywhere;
}
dd {
  margin: 0 0 6px 14px;
  color: var(--slate-text);
}
</style>
