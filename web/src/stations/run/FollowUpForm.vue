<script setup lang="ts">
import { BFormInput, BFormRadioGroup, BFormSelect, BFormTextarea } from 'bootstrap-vue-next'
import { computed, reactive, toRef, watch } from 'vue'
import ProblemNote from '@/parts/ProblemNote.vue'
import { useOffered, type FollowUp } from '@/stations/run/useFollowUps'

/** What is to be done for the records of a run, as far as the site and the mail server allow. `change` tells it once it
 * is whole. */
const props = defineProps<{ id: number; run: number; asked: FollowUp | null }>()
const emit = defineEmits<{ change: [FollowUp | null] }>()
const { data: offered, error } = useOffered(toRef(props, 'id'), toRef(props, 'run'))
const before = props.asked?.what
const typed = reactive({
  kind: before?.kind ?? '',
  action: before?.kind === 'action' ? before.action : '',
  to: before?.kind === 'mail' ? before.to : '',
  subject: before?.kind === 'mail' ? before.subject : '',
  text: before?.kind === 'mail' ? before.text : '',
  perMinute: before?.kind === 'mail' ? before.per_minute : 60,
  of: props.asked?.of ?? ('created' as FollowUp['of']),
})
const addresses = computed(() =>
  Object.entries(offered.value?.addresses ?? {}).map(([path, title]) => ({ value: path, text: title })),
)
const kinds = computed(() => {
  const there = offered.value
  if (!there) return []
  const noAction = there.actions.length ? '' : ': the site’s description names none for these records'
  const noMail = !there.mail
    ? ': Datorum knows no mail server'
    : addresses.value.length
      ? ''
      : ': these records have no address'
  return [
    { value: 'action', text: `Call an action of the site${noAction}`, disabled: !!noAction },
    { value: 'mail', text: `Send a mail${noMail}`, disabled: !!noMail },
  ]
})
watch(
  offered,
  (there) => {
    if (!there) return
    typed.kind ||= there.actions.length ? 'action' : there.mail && addresses.value.length ? 'mail' : ''
    typed.action ||= there.actions[0] ?? ''
    typed.to ||= addresses.value[0]?.value ?? ''
  },
  { immediate: true },
)
const records = [
  { value: 'created', text: 'that the run created' },
  { value: 'changed', text: 'that it changed' },
  { value: 'all', text: 'all that it sent' },
]
function whole(): FollowUp | null {
  const { kind, action, to, subject, text, perMinute, of } = typed
  if (kind === 'action') return action ? { what: { kind, action, values: {} }, of } : null
  if (kind !== 'mail' || !to || !subject.trim() || !text.trim()) return null
  return { what: { kind, to, subject, text, per_minute: Number(perMinute) || 60 }, of }
}
watch(typed, () => emit('change', whole()), { immediate: true })
</script>

<template>
  <p class="slate">
    Nothing is done yet: what would be done for each record is shown first. A follow-up cannot be taken back.
  </p>
  <BFormRadioGroup v-model="typed.kind" :options="kinds" stacked class="mb-3" aria-label="What is done" />
  <label v-if="typed.kind === 'action'" class="field">
    Action <BFormSelect v-model="typed.action" :options="offered?.actions ?? []" size="sm" />
  </label>
  <template v-if="typed.kind === 'mail'">
    <label class="field">To the address in <BFormSelect v-model="typed.to" :options="addresses" size="sm" /></label>
    <label class="field">Subject <BFormInput v-model="typed.subject" size="sm" maxlength="200" /></label>
    <label class="field">Text <BFormTextarea v-model="typed.text" size="sm" rows="7" maxlength="20000" /></label>
    <p class="slate small">
      Names in square brackets stand for what a record has:
      <span class="mono">{{ offered?.names.map((name) => `[${name}]`).join(' ') }}</span>
    </p>
    <label class="field pace"
      >At most <BFormInput v-model="typed.perMinute" size="sm" type="number" min="1" max="6000" /> a minute</label
    >
  </template>
  <label v-if="typed.kind" class="field"
    >For the records <BFormSelect v-model="typed.of" :options="records" size="sm"
  /></label>
  <ProblemNote :error="error" />
</template>

<style scoped>
.field {
  display: grid;
  grid-template-columns: 140px minmax(0, 1fr);
  gap: 8px;
  align-items: baseline;
  margin-bottom: 8px;
}
.pace {
  grid-template-columns: 140px 90px auto;
}
</style>
