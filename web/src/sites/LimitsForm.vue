<script setup lang="ts">
import { BButton, BForm, BFormGroup, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { ref, useId } from 'vue'
import type { Schemas } from '@/api/client'
import ProblemNote from '@/parts/ProblemNote.vue'

/** What a site is to be spared: requests at a time and in a minute, hours in which runs leave it alone, and more records
 * than it takes. */
const props = defineProps<{
  limits: Schemas['SiteLimits']
  /** The names of its record types. */
  types: string[]
  error: Error | null
  busy: boolean
  disabled: boolean
}>()
const emit = defineEmits<{ submit: [Schemas['SiteLimits']] }>()
const concurrency = ref(props.limits.concurrency === null ? '' : String(props.limits.concurrency))
const perMinute = ref(props.limits.per_minute === null ? '' : String(props.limits.per_minute))
const hours = (one: Schemas['QuietHours']) => ({ begins: one.begins.slice(0, 5), ends: one.ends.slice(0, 5) })
const quiet = ref(props.limits.quiet.map(hours))
const room = ref(Object.entries(props.limits.room).map(([type, most]) => ({ type, most: String(most) })))
const mine = Intl.DateTimeFormat().resolvedOptions().timeZone
const zone = ref(props.limits.quiet.length ? props.limits.zone : mine)
const id = useId()

const whole = (typed: string | number) => (String(typed).trim() === '' ? null : Number(typed))
function submit() {
  emit('submit', {
    concurrency: whole(concurrency.value),
    per_minute: whole(perMinute.value),
    quiet: quiet.value,
    zone: zone.value,
    room: Object.fromEntries(
      room.value.filter((one) => one.type && one.most !== '').map((one) => [one.type, Number(one.most)]),
    ),
  })
}
</script>

<template>
  <BForm class="form" aria-label="Pace and quiet hours" @submit.prevent="submit">
    <BFormGroup label="Requests at a time, at most" :label-for="`${id}-most`" class="mb-3">
      <BFormInput :id="`${id}-most`" v-model="concurrency" type="number" min="1" max="64" :disabled="disabled" />
      <template #description>Blank: as many as the site takes, 24 at most.</template>
    </BFormGroup>
    <BFormGroup label="Requests in a minute, at most" :label-for="`${id}-rate`" class="mb-3">
      <BFormInput :id="`${id}-rate`" v-model="perMinute" type="number" min="1" max="100000" :disabled="disabled" />
      <template #description>Blank: what the site itself asks for, by its answers.</template>
    </BFormGroup>
    <fieldset class="mb-3" :disabled="disabled">
      <legend>Quiet hours</legend>
      <p class="slate mb-2">
        Runs wait until they are over, and go on when they are taken out. What a person asks for is done at once.
      </p>
      <p v-for="(one, at) in quiet" :key="at" class="hours">
        <span>from</span>
        <BFormInput v-model="one.begins" type="time" size="sm" required :aria-label="`Quiet hours ${at + 1} begin`" />
        <span>to</span>
        <BFormInput v-model="one.ends" type="time" size="sm" required :aria-label="`Quiet hours ${at + 1} end`" />
        <BButton variant="link" size="sm" class="p-0" @click="quiet.splice(at, 1)">Take out</BButton>
      </p>
      <BButton
        v-if="quiet.length < 8"
        variant="link"
        size="sm"
        class="p-0"
        @click="quiet.push({ begins: '22:00', ends: '06:00' })"
        >Add hours</BButton
      >
    </fieldset>
    <BFormGroup v-if="quiet.length" label="Time zone" :label-for="`${id}-zone`" class="mb-3">
      <BFormInput :id="`${id}-zone`" v-model="zone" required :disabled="disabled" />
    </BFormGroup>
    <fieldset class="mb-3" :disabled="disabled">
      <legend>Room</legend>
      <p class="slate mb-2">How many records the site takes in all, where that is known. No run begins beyond it.</p>
      <p v-for="(one, at) in room" :key="at" class="hours">
        <span>of</span>
        <BFormSelect v-model="one.type" :options="types" size="sm" :aria-label="`Room ${at + 1} is for`" />
        <span>at most</span>
        <BFormInput v-model="one.most" type="number" min="0" size="sm" required :aria-label="`Room ${at + 1}`" />
        <BButton variant="link" size="sm" class="p-0" @click="room.splice(at, 1)">Take out</BButton>
      </p>
      <BButton variant="link" size="sm" class="p-0" @click="room.push({ type: types[0] ?? '', most: '' })"
        >Add a record type</BButton
      >
    </fieldset>
    <ProblemNote :error="error" />
    <BButton v-if="!disabled" type="submit" variant="primary" :disabled="busy">Keep</BButton>
  </BForm>
</template>

<style scoped>
.form {
  max-width: 460px;
}
legend {
  font-size: inherit;
  font-weight: 600;
}
.hours {
  display: grid;
  grid-template-columns: auto 1fr auto 1fr auto;
  gap: 8px;
  align-items: center;
  margin-bottom: 8px;
}
</style>
