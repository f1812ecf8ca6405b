<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import DialogBox from '@/parts/DialogBox.vue'
import { counted } from '@/parts/format'

/** Chooses another file for a sheet; where something was done by hand to its rows, only when that may go. */
const props = defineProps<{ sheet: Schemas['SheetState'] }>()
const emit = defineEmits<{ read: [File] }>()
const chosen = ref<File | null>(null)
const byHand = computed(() => {
  const { corrected, left_out, accepted } = props.sheet.by_hand
  return [
    corrected && counted(corrected, 'corrected cell'),
    left_out && `${counted(left_out, 'row')} left out by hand`,
    accepted && counted(accepted, 'accepted finding'),
  ].filter((one) => one !== 0)
})
function take(input: HTMLInputElement) {
  const file = input.files?.[0]
  input.value = ''
  if (!file) return
  if (byHand.value.length) chosen.value = file
  else emit('read', file)
}
function read() {
  if (chosen.value) emit('read', chosen.value)
  chosen.value = null
}
</script>

<template>
  <label class="btn btn-link btn-sm p-0"
    >Read another file <input type="file" class="visually-hidden" @change="take($event.target as HTMLInputElement)"
  /></label>
  <DialogBox v-if="chosen" model-value title="Read another file" @update:model-value="chosen = null">
    <p>
      What was done by hand belongs to the rows of {{ sheet.filename }}, and goes with them:
      <b>{{ byHand.join(', ') }}</b>. The mapping stays.
    </p>
    <div class="text-end">
      <BButton variant="link" @click="chosen = null">Keep this file</BButton>
      <BButton variant="primary" @click="read">Read {{ chosen.name }}</BButton>
    </div>
  </DialogBox>
</template>
