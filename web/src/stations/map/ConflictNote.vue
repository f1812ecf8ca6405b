<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { BButton } from 'bootstrap-vue-next'
import { computed, ref, toRef } from 'vue'
import { answer, api } from '@/api/client'
import DialogBox from '@/parts/DialogBox.vue'
import { number } from '@/parts/format'
import StateMark from '@/parts/StateMark.vue'
import { useSession } from '@/session/useSession'
import DifferenceTable from '@/stations/map/DifferenceTable.vue'
import type { Conflict, Mapping } from '@/stations/map/useMapping'

/** Two mappings of one import, one of which is to stand: what is here and not saved, and what was saved meanwhile. */
const props = defineProps<{ id: number; conflict: Conflict; mine: Mapping; titles: Record<string, string> }>()
const emit = defineEmits<{ settle: [boolean] }>()
const { session } = useSession()
const showing = ref(false)
const who = computed(() =>
  props.conflict.by === session.value?.name ? 'you, in another tab or browser' : props.conflict.by,
)
const { data: differences } = useQuery({
  queryKey: ['difference', toRef(props, 'conflict'), toRef(props, 'mine')],
  queryFn: () =>
    answer(
      api.POST('/api/imports/{import_id}/mapping/difference', {
        params: { path: { import_id: props.id } },
        body: { before: props.conflict.mapping, after: props.mine },
      }),
    ),
})
function settle(mine: boolean) {
  showing.value = false
  emit('settle', mine)
}
</script>

<template>
  <div role="alert" class="conflict">
    <span
      ><StateMark state="held" /> The mapping was changed meanwhile by <b>{{ who }}</b> (version
      {{ number(conflict.version) }}). Yours is not saved.</span
    >
    <BButton variant="link" size="sm" class="p-0" @click="showing = true">See both</BButton>
    <BButton variant="link" size="sm" class="p-0" @click="settle(true)">Keep mine</BButton>
    <BButton variant="link" size="sm" class="p-0" @click="settle(false)">Take the other</BButton>
    <DialogBox v-model="showing" title="Two mappings" wide>
      <p class="slate">
        What was saved meanwhile, and what yours has in its place. Undo brings back the one not taken.
      </p>
      <DifferenceTable :differences="differences ?? []" :titles="titles" />
      <p v-if="differences && !differences.length">They say the same.</p>
      <div class="text-end mt-3">
        <BButton variant="link" @click="settle(false)">Take the other</BButton>
        <BButton variant="primary" @click="settle(true)">Keep mine</BButton>
      </div>
    </DialogBox>
  </div>
</template>
