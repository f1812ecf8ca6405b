<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed, ref, toRef } from 'vue'
import DialogBox from '@/parts/DialogBox.vue'
import { counted } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import FollowUpForm from '@/stations/run/FollowUpForm.vue'
import FollowUpRehearsed from '@/stations/run/FollowUpRehearsed.vue'
import { type FollowUp, type FollowUpState } from '@/stations/run/useFollowUps'
import { isUnderWay, useActions } from '@/workbench/useImport'

/** Something done for the records of a run: asked for, rehearsed and shown, and only then carried out. */
const props = defineProps<{
  id: number
  run: number
  shown: FollowUpState | null
  busy: boolean
  error: Error | null
}>()
const emit = defineEmits<{ rehearse: [FollowUp]; carryOut: [FollowUpState]; anew: []; close: [] }>()
const { pause, resume, end } = useActions(toRef(props, 'id'))
const going = computed(() => isUnderWay(props.shown))
const paused = computed(() => ['paused', 'failed'].includes(props.shown?.state ?? ''))
const asked = ref<FollowUp | null>(props.shown?.asked ?? null)
const open = computed({ get: () => true, set: () => emit('close') })
const does = computed(() => {
  if (!props.shown) return ''
  const { asked: its, records } = props.shown
  const count = counted(records, 'record')
  return its.what.kind === 'mail' ? `Send ${counted(records, 'mail')}` : `Call “${its.what.action}” for ${count}`
})
</script>

<template>
  <DialogBox v-model="open" title="Follow up" wide>
    <FollowUpForm v-if="!shown" :id="id" :run="run" :asked="asked" @change="asked = $event" />
    <FollowUpRehearsed v-else :shown="shown" />
    <ProblemNote :error="error ?? pause.error.value ?? resume.error.value ?? end.error.value" />
    <div class="end">
      <BButton variant="link" @click="emit('close')">Close</BButton>
      <BButton v-if="!shown" variant="primary" :disabled="!asked || busy" @click="emit('rehearse', asked!)"
        >Show what would be done</BButton
      >
      <template v-else-if="shown.run_id">
        <BButton v-if="going" variant="outline-primary" @click="pause.mutate(shown.run_id)">Pause</BButton>
        <BButton v-if="paused" variant="link" @click="end.mutate(shown.run_id)">End it here</BButton>
        <BButton v-if="paused" variant="primary" @click="resume.mutate(shown.run_id)">Continue</BButton>
      </template>
      <template v-else-if="shown.state !== 'reading'">
        <BButton variant="outline-primary" @click="emit('anew')">Change it</BButton>
        <BButton
          v-if="shown.state === 'ready' && shown.records"
          variant="primary"
          :disabled="busy"
          @click="emit('carryOut', shown)"
          >{{ does }}</BButton
        >
      </template>
    </div>
  </DialogBox>
</template>

<style scoped>
.end {
  display: flex;
  justify-content: flex-end;
  gap: 10px;
  margin-top: 12px;
}
</style>
