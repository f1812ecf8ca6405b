<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import DialogBox from '@/parts/DialogBox.vue'
import { counted } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import FollowUpForm from '@/stations/run/FollowUpForm.vue'
import FollowUpRehearsed from '@/stations/run/FollowUpRehearsed.vue'
import { type FollowUp, type FollowUpState } from '@/stations/run/useFollowUps'

/** Something done for the records of a run: asked for, rehearsed and shown, and only then carried out. */
const props = defineProps<{
  id: number
  run: number
  shown: FollowUpState | null
  busy: boolean
  error: Error | null
}>()
const emit = defineEmits<{ rehearse: [FollowUp]; carryOut: [FollowUpState]; anew: []; close: [] }>()
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
    <ProblemNote :error="error" />
    <div class="end">
      <BButton variant="link" @click="emit('close')">Close</BButton>
      <BButton v-if="!shown" variant="primary" :disabled="!asked || busy" @click="emit('rehearse', asked!)"
        >Show what would be done</BButton
      >
      <template v-else-if="!shown.run_id && shown.state !== 'reading'">
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
