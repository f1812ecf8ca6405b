<script setup lang="ts">
import StateMark from '@/parts/StateMark.vue'
import { BButton } from 'bootstrap-vue-next'
import { computed, toRef } from 'vue'
import { counted, number, time } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import { useFindings, type Group } from '@/stations/check/useFindings'

/** What can be done on the spot about the findings of one group, in the rows shown or in all of them. */
const props = defineProps<{ id: number; group: Group; rows: number[]; disabled: boolean }>()
const emit = defineEmits<{ leftOut: [] }>()
const { accepted, accept, takeBack, leaveOut } = useFindings(toRef(props, 'id'))
const settles: Record<string, string> = {
  'no value set': 'Open the value table',
  enum: 'Open the value table',
  step: 'Change the steps',
  type: 'Change the steps',
  format: 'Change the steps',
  required: 'Change what feeds it',
  'day or month': 'Change the steps',
}
/** Where the finding can be settled: at Map, on its field. */
const settleAt = computed(() => `/imports/${props.id}/map?field=${props.group.field}&records=held`)
const by = computed(() =>
  (accepted.value ?? []).find((one) => one.field === props.group.field && one.rule === props.group.rule),
)
const busy = computed(() => accept.isPending.value || leaveOut.isPending.value || takeBack.isPending.value)
const open = computed(() => props.group.count - props.group.accepted)
const finding = computed(() => ({ field: props.group.field, rule: props.group.rule }))
</script>

<template>
  <p v-if="by" class="mb-1">
    <StateMark state="same" />
    {{ group.demanded ? 'The site will most likely refuse these.' : '' }}
    {{ open ? `${number(group.accepted)} of ${counted(group.count, 'finding')} accepted` : 'Accepted' }} by {{ by.by }},
    {{ time(by.at) }}.
    <BButton v-if="!disabled" variant="link" size="sm" class="p-0" :disabled="busy" @click="takeBack.mutate(group)"
      >Take it back</BButton
    >
  </p>
  <div v-if="!disabled" class="remedies">
    <RouterLink v-if="open && group.field && settles[group.rule]" class="btn btn-link btn-sm p-0" :to="settleAt">{{
      settles[group.rule]
    }}</RouterLink>
    <template v-if="open">
      <BButton
        variant="link"
        size="sm"
        class="p-0"
        :disabled="busy"
        @click="leaveOut.mutate(finding, { onSuccess: () => emit('leftOut') })"
        >Leave the {{ counted(group.count, 'row') }} out</BButton
      >
      <p v-if="group.acceptable && group.demanded" class="slate small mb-0">
        <StateMark state="warned" /> The site’s own description forbids this. You can accept it, and the site will most
        likely refuse the {{ counted(group.count, 'row') }}.
      </p>
      <template v-if="group.acceptable">
        <BButton
          v-if="rows.length && rows.length < group.count"
          variant="link"
          size="sm"
          class="p-0"
          :disabled="busy"
          @click="accept.mutate({ ...finding, rows })"
          >Accept it in the {{ counted(rows.length, 'row') }} shown</BButton
        >
        <BButton variant="link" size="sm" class="p-0" :disabled="busy" @click="accept.mutate(finding)"
          >Accept it in every row, now and later</BButton
        >
      </template>
      <span v-else class="slate small">It cannot be accepted: such a row cannot be sent, or would stand twice.</span>
    </template>
  </div>
  <ProblemNote :error="accept.error.value ?? takeBack.error.value ?? leaveOut.error.value" />
</template>

<style scoped>
.remedies {
  display: flex;
  flex-direction: column;
  align-items: flex-start;
  gap: 3px;
}
</style>
