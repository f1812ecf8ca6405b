<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import type { Schemas } from '@/api/client'
import { queries } from '@/api/queries'
import { dropping, forget } from '@/migration/dropping'
import { counted } from '@/parts/format'
import StateMark from '@/parts/StateMark.vue'
import ReadingProgress from '@/reading/ReadingProgress.vue'
import { useReading } from '@/reading/useReading'

/** The files that were dropped on a board, read one after the other in their order, and what of them cannot be read. */
const props = defineProps<{ id: number }>()
const reading = useReading()
const mine = computed(() => dropping.filter((one) => one.migration === props.id))
const waiting = computed(() => mine.value.filter((one) => !one.problem))
const unread = ref<Schemas['Unread'][]>([])

async function readNext() {
  const next = waiting.value[0]
  if (!next || reading.underWay.value) return
  try {
    const got = await reading.send<Schemas['Dropped']>('POST', `/api/migrations/${props.id}/files`, { file: next.file })
    queries.setQueryData(['migration', props.id], got.board)
    unread.value.push(...got.unread)
    forget(next)
    await queries.invalidateQueries({ queryKey: ['imports'] })
  } catch (caught) {
    next.problem = (caught as Error).message
  }
  void readNext()
}
watch(() => waiting.value.length, readNext, { immediate: true })
</script>

<template>
  <div v-if="mine.length || unread.length" class="arriving">
    <template v-if="waiting.length">
      <b>{{ waiting[0]!.file.name }}</b>
      <span v-if="waiting.length > 1" class="slate">, then {{ counted(waiting.length - 1, 'file') }} more</span>
      <ReadingProgress
        v-if="reading.shown.value"
        :sent="reading.sent.value"
        :state="reading.state.value"
        @stop="reading.stop"
      />
    </template>
    <p v-for="one in mine.filter((each) => each.problem)" :key="one.file.name" role="alert">
      <StateMark state="held" /> {{ one.file.name }}: {{ one.problem }}
      <BButton variant="link" size="sm" @click="forget(one)">Put away</BButton>
    </p>
    <p v-for="one in unread" :key="one.sheet" role="alert">
      <StateMark state="held" /> The sheet {{ one.sheet }} cannot be read: {{ one.why }}
    </p>
  </div>
</template>

<style scoped>
.arriving {
  padding: 8px 18px;
  border-bottom: 1px solid var(--rule-faint);
}
.arriving p {
  margin: 0;
}
</style>
