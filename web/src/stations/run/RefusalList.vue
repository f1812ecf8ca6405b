<script setup lang="ts">
import type { Schemas } from '@/api/client'
import { counted, listed } from '@/parts/format'
import StateMark from '@/parts/StateMark.vue'
import RefusalRule from '@/stations/run/RefusalRule.vue'

/** What the site refused, by what it said. */
defineProps<{
  id: number
  run: number
  refusals: Schemas['Refusal'][]
  left: number
  /** Nothing of the run is on its way. */
  atRest: boolean
  mayEdit: boolean
}>()
const emit = defineEmits<{ see: [Schemas['Refusal']] }>()
const together = (refusals: Schemas['Refusal'][]) => refusals.reduce((sum, one) => sum + one.records, 0)
</script>

<template>
  <section aria-label="What the site refused">
    <h2>What the site refused</h2>
    <p v-if="!refusals.length" class="slate">Nothing so far.</p>
    <template v-else>
      <p class="slate">
        {{ counted(together(refusals), 'record') }}, {{ counted(refusals.length, 'reason')
        }}{{ left ? '; the rest go on' : '' }}
      </p>
      <article v-for="one in refusals" :key="one.said">
        <h3 class="panel-heading">
          <span>“{{ one.said }}”</span><span class="brick"><StateMark state="held" /> {{ one.records }}</span>
        </h3>
        <p class="mb-1">
          <template v-if="one.title"
            >Field <b>{{ one.title }}</b>. </template
          ><span class="slate">For {{ listed(one.examples) }}{{ one.records > one.examples.length ? ' …' : '' }}</span>
        </p>
        <RefusalRule :id="id" :run="run" :item="one.item" :left="left" :at-rest="atRest" :may-edit="mayEdit" />
        <button type="button" class="visually-plain petrol" @click="emit('see', one)">
          See {{ one.records === 1 ? 'it' : `the ${one.records}` }}
        </button>
      </article>
    </template>
  </section>
</template>

<style scoped>
article {
  margin-bottom: 10px;
}
article .panel-heading span:first-child {
  overflow-wrap: anywhere;
}
</style>
