<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed } from 'vue'
import type { Board } from '@/migration/useMigration'
import DialogBox from '@/parts/DialogBox.vue'
import { number } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'

/** What taking all back would do, import by import, what names others first. */
const props = defineProps<{ board: Board; error: Error | null; pending: boolean }>()
const open = defineModel<boolean>({ required: true })
defineEmits<{ undo: [] }>()
const cards = computed(() => props.board.cards.filter((card) => card.back).toReversed())
const looking = computed(() => props.board.going_to === 'rehearse undo')
</script>

<template>
  <DialogBox v-model="open" title="Take all back" wide>
    <p v-if="looking" class="slate" role="status">Looking what each record is by now …</p>
    <table v-else-if="cards.length" class="back">
      <thead>
        <tr>
          <th scope="col">In this order</th>
          <th scope="col">Deleted</th>
          <th scope="col">As before</th>
          <th scope="col">Created again</th>
          <th scope="col">Left as they are</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="card in cards" :key="card.import_id">
          <th scope="row">{{ card.name }}</th>
          <td class="mono">{{ number(card.back!.delete ?? 0) }}</td>
          <td class="mono">{{ number(card.back!.update ?? 0) }}</td>
          <td class="mono">{{ number(card.back!.create ?? 0) }}</td>
          <td class="mono"><StateMark v-if="card.back!.held" state="held" /> {{ number(card.back!.held ?? 0) }}</td>
        </tr>
      </tbody>
    </table>
    <p v-else class="slate">There is nothing on the site to be taken back.</p>
    <p class="slate mt-3">
      What was created goes, what was changed returns, and what somebody has changed since is left as it is; why is told
      at Run of each import.
    </p>
    <ProblemNote :error="error" />
    <div class="mt-3 d-flex gap-3">
      <BButton variant="danger" :disabled="looking || pending || !cards.length" @click="$emit('undo')"
        >Take all back</BButton
      >
      <BButton variant="link" @click="open = false">Leave it</BButton>
    </div>
  </DialogBox>
</template>

<style scoped>
.back {
  width: 100%;
}
.back th,
.back td {
  padding: 4px 10px;
  border-bottom: 1px solid var(--rule-faint);
  font-weight: 400;
  text-align: right;
}
.back th:first-child {
  text-align: left;
}
.back thead th {
  color: var(--slate-text);
}
</style>
