<script setup lang="ts">
import { BButton, BFormCheckbox } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import { useOpenPoints, type Board } from '@/migration/useMigration'
import DialogBox from '@/parts/DialogBox.vue'
import { counted, listed, number } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'

/** What is about to happen to the site, import by import in their order, and what is not in order before it. */
const props = defineProps<{ board: Board; error: Error | null; pending: boolean }>()
const open = defineModel<boolean>({ required: true })
const emit = defineEmits<{ run: [string[]] }>()
const { data: points, error: unknown, isFetching } = useOpenPoints(props.board.id, () => open.value)
const agreed = ref<string[]>([])
watch(open, () => (agreed.value = []))
const waiting = computed(() => props.board.cards.filter((card) => card.stations[4]!.done < 1))
/** The first at which all would stop straight away, and the share of it that is held. */
const stopsAt = computed(() => {
  const found = waiting.value.find((card) => 100 * card.held > props.board.held_most * card.records)
  return found && { name: found.name, share: ((100 * found.held) / found.records).toFixed(1) }
})
/** What goes once more when those behind it are there, as both need each other. */
const again = computed(() => {
  const needs = new Map<string, Set<string>>()
  const names = new Map(props.board.cards.map((card) => [card.import_id, card.name]))
  for (const line of props.board.lines) {
    if (!line.later || line.to_import === null) continue
    const [one, other] = [names.get(line.import_id) ?? '', names.get(line.to_import) ?? '']
    needs.set(one, (needs.get(one) ?? new Set()).add(other))
  }
  return [...needs].map(([name, others]) => ({ name, others: listed([...others]) }))
})
const ready = computed(() => points.value?.every((one) => agreed.value.includes(one.name)) ?? false)
const said = (imports: Record<string, string>) => {
  const by = new Map<string, string[]>()
  for (const [name, text] of Object.entries(imports)) by.set(text, [...(by.get(text) ?? []), name])
  return [...by].map(([text, names]) => `${listed(names)}: ${text}`)
}
</script>

<template>
  <DialogBox v-model="open" title="Run all, in this order" wide>
    <ol class="order">
      <li v-for="card in waiting" :key="card.import_id">
        <b>{{ card.name }}</b>
        <StateMark state="good" /> {{ number(card.create) }} created
        <template v-if="card.update"><StateMark state="changed" /> {{ number(card.update) }} changed</template>
        <template v-if="card.held"> <StateMark state="held" /> {{ number(card.held) }} held</template>
      </li>
      <li v-for="{ name, others } in again" :key="name">
        <b>{{ name }}</b> once more, with what it means of {{ others }}: they need each other
      </li>
    </ol>
    <p class="slate">
      Each is read back before what names it goes. All stops where more than {{ board.held_most }} % of one is held,
      refused, or there otherwise than it was sent.
    </p>
    <p v-if="stopsAt">
      <StateMark state="warned" /> It would stop at {{ stopsAt.name }}, of which {{ stopsAt.share }} % are held. Settle
      them and rehearse all again, or raise the limit on the board.
    </p>
    <p v-if="isFetching" class="slate" role="status">Looking whether all is in order …</p>
    <fieldset v-else-if="points?.length">
      <legend>Not in order, and agreed to by name</legend>
      <div v-for="point in points" :key="point.name" class="point">
        <BFormCheckbox v-model="agreed" :value="point.name">
          <StateMark :state="point.state === 'held' ? 'held' : 'warned'" /> <b>{{ point.name }}</b>
        </BFormCheckbox>
        <p v-for="line in said(point.imports)" :key="line" class="slate">{{ line }}</p>
        <p v-if="point.remedy" class="slate">{{ point.remedy }}</p>
      </div>
    </fieldset>
    <p v-else-if="points"><StateMark state="good" /> All is in order.</p>
    <ProblemNote :error="error ?? unknown" />
    <div class="mt-3 d-flex gap-3">
      <BButton variant="primary" :disabled="!ready || pending || isFetching" @click="emit('run', agreed)"
        >Run {{ counted(waiting.length, 'import') }}</BButton
      >
      <BButton variant="link" @click="open = false">Not now</BButton>
    </div>
  </DialogBox>
</template>

<style scoped>
.order li {
  padding: 2px 0;
}
.order b {
  display: inline-block;
  min-width: 220px;
}
legend {
  font-size: 1rem;
}
.point {
  margin-bottom: 8px;
}
.point p {
  margin: 0 0 0 24px;
}
</style>
