<script setup lang="ts">
import { useIntervalFn, useNow } from '@vueuse/core'
import { BButton, BFormInput } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import ArrivingFiles from '@/migration/ArrivingFiles.vue'
import BoardMap from '@/migration/BoardMap.vue'
import { drop, dropping } from '@/migration/dropping'
import { facts, type Shown } from '@/migration/facts'
import FilesCard from '@/migration/FilesCard.vue'
import LinkTable from '@/migration/LinkTable.vue'
import RunAllDialog from '@/migration/RunAllDialog.vue'
import UndoAllDialog from '@/migration/UndoAllDialog.vue'
import UndecidedCard from '@/migration/UndecidedCard.vue'
import { useBoard, useBoardActions, type Board, type Goal } from '@/migration/useMigration'
import EmptyState from '@/parts/EmptyState.vue'
import FactRow from '@/parts/FactRow.vue'
import { counted, listed, number } from '@/parts/format'
import type { State } from '@/parts/marks'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'
import StationFooter from '@/parts/StationFooter.vue'
import { useSession } from '@/session/useSession'
import TopBar from '@/workbench/TopBar.vue'

/** A migration: its sheets in the order that their links demand, how far each is, and what is missing. */
const props = defineProps<{ id: number }>()
const { mayEdit } = useSession()
const { data: board, error } = useBoard(props.id)
const { change, decide, letGo, takeOut, go, halt } = useBoardActions(props.id)
const now = useNow({ scheduler: (tick) => useIntervalFn(tick, 30_000) })
const told = computed(() => (board.value ? facts(board.value, now.value.getTime()) : []))
const shown = ref<Shown>('board')
const asking = ref(false)
const undoing = ref(false)
const over = ref(false)
const chooser = ref<HTMLInputElement | null>(null)
const arriving = computed(() => dropping.some((one) => one.migration === props.id))
const refused = computed(() => [change, decide, letGo, takeOut, go, halt].find((one) => one.error.value)?.error.value)
const GOING: Record<Goal, string> = {
  check: 'Checking all',
  rehearse: 'Rehearsing all',
  run: 'Running all',
  'rehearse undo': 'Looking how all is taken back',
  undo: 'Taking all back',
}
const all = computed(() => board.value?.cards.map((card) => card.stations) ?? [])
const through = (station: number) =>
  all.value.length > 0 && all.value.every((one) => one[station]!.done + one[station]!.held > 0 && !one[station]!.stale)
const mail = computed((): { state: State; text: string; says: string } => {
  const { sends_mail: sends = false, no_switch: none = [], cards = [] } = board.value ?? {}
  const says = none.length ? `No switch for mail about ${listed(none)}` : ''
  if (sends) return { state: 'warned', text: 'Mail is sent', says }
  if (none.length && none.length === cards.length) return { state: 'warned', text: 'Mail: no switch on the site', says }
  return { state: 'good', text: 'Mail silenced', says }
})
const anyRun = computed(() => all.value.some((one) => one[4]!.done > 0 && one[4]!.text !== 'nothing to send'))
const gaps = computed(() => board.value?.gaps.slice(0, 3) ?? [])

const take = (files: FileList | null | undefined) => files && drop(props.id, files)
function dropped(event: DragEvent) {
  over.value = false
  if (mayEdit.value) take(event.dataTransfer?.files)
}
function limit(text: unknown) {
  const most = Number(text)
  if (text !== '' && most >= 0 && most <= 100) change.mutate({ held_most: most })
}
/** How all would be taken back is looked at first, as the site is now. */
function back() {
  go.mutate({ to: 'rehearse undo', agreed: [] }, { onSuccess: () => (undoing.value = true) })
}
function run(agreed: string[]) {
  go.mutate({ to: 'run', agreed }, { onSuccess: () => (asking.value = false) })
}
const gap = (one: Board['gaps'][number]) =>
  one.unread
    ? `${one.name}: ${counted(one.missing, 'record')} by ${one.title}, and the site’s ${one.to_type} have not been read`
    : `${one.name} name ${counted(one.missing, one.to_type.replace(/s$/, ''))} by ${one.title} that ${
        one.brought ? 'none of the sheets brings' : 'no sheet brings'
      } and the site does not have`
</script>

<template>
  <div class="shell" @dragover.prevent="over = true" @dragleave.self="over = false" @drop.prevent="dropped">
    <TopBar>
      <h1 class="title">
        <b>{{ board?.name }}</b> <span v-if="board" class="slate">to {{ board.site }}</span>
      </h1>
      <template v-if="board" #end>
        <span class="pill" :title="mail.says"><StateMark :state="mail.state" /> {{ mail.text }}</span>
      </template>
    </TopBar>
    <ProblemNote :error="error" class="m-3" />
    <template v-if="board">
      <FactRow :facts="told" :shown="shown" label="The migration at a glance" @show="shown = $event" />
      <main class="body" :class="{ over }">
        <ArrivingFiles :id="id" />
        <EmptyState
          v-if="!board.cards.length && !board.undecided.length && !board.files && !arriving"
          title="Drop all that the old site gave"
        >
          <p class="slate">
            Every sheet is recognised by its columns, put in the order that its links demand, and mapped. Nothing
            reaches the site before you have rehearsed it.
          </p>
          <BButton v-if="mayEdit" variant="primary" @click="chooser?.click()">Choose files</BButton>
        </EmptyState>
        <LinkTable v-else-if="shown === 'links'" :board="board" />
        <BoardMap
          v-else-if="board.cards.length"
          :board="board"
          :may-edit="mayEdit"
          @of="(sheet, kind) => decide.mutate({ sheet, kind })"
          @let-go="letGo.mutate"
          @take-out="takeOut.mutate"
        />
        <section
          v-if="(board.undecided.length || board.files) && shown === 'board'"
          class="undecided"
          aria-label="Beside the imports"
        >
          <FilesCard v-if="board.files" :files="board.files" />
          <UndecidedCard
            v-for="sheet in board.undecided"
            :key="sheet.id"
            :sheet="sheet"
            :kinds="board.kinds"
            :may-edit="mayEdit"
            @of="decide.mutate({ sheet: sheet.id, kind: $event })"
            @let-go="letGo.mutate(sheet.id)"
          />
        </section>
        <p v-if="board.stopped && !board.going_to" class="stopped" role="status">
          <StateMark state="warned" /> {{ board.stopped }}
        </p>
        <ul v-if="gaps.length && shown === 'board'" class="gaps slate" aria-label="What is missing">
          <li v-for="one in gaps" :key="`${one.import_id} ${one.path}`">
            {{ gap(one) }}:
            <RouterLink :to="`/imports/${one.import_id}/map?field=${encodeURIComponent(one.path)}`"
              >see them</RouterLink
            >
          </li>
          <li v-if="board.gaps.length > gaps.length">
            <BButton variant="link" size="sm" @click="shown = 'links'"
              >{{ number(board.gaps.length - gaps.length) }} more</BButton
            >
          </li>
        </ul>
      </main>
      <StationFooter>
        <ProblemNote v-if="refused" :error="refused" />
        <span v-else-if="board.going_to" role="status"
          ><StateMark state="changed" /> {{ GOING[board.going_to as Goal] }}. You can close this tab; it goes on.</span
        >
        <label v-else-if="mayEdit" class="slate limit"
          >Stop where more than
          <BFormInput
            size="sm"
            class="mono"
            type="number"
            min="0"
            max="100"
            step="0.1"
            lazy
            :model-value="board.held_most"
            aria-label="Per cent of a sheet"
            @update:model-value="limit"
          />
          % of a sheet is held</label
        >
        <template v-if="mayEdit" #end>
          <input
            ref="chooser"
            type="file"
            multiple
            hidden
            aria-label="Files"
            @change="take(($event.target as HTMLInputElement).files)"
          />
          <BButton
            v-if="board.going_to"
            variant="outline-primary"
            :disabled="halt.isPending.value"
            @click="halt.mutate()"
            >Stop</BButton
          >
          <template v-else-if="board.cards.length">
            <BButton variant="link" @click="chooser?.click()">Add files</BButton>
            <BButton variant="link" @click="go.mutate({ to: 'check', agreed: [] })">Check all</BButton>
            <BButton v-if="anyRun" variant="link" @click="back">Take all back …</BButton>
            <BButton :variant="through(3) ? 'link' : 'primary'" @click="go.mutate({ to: 'rehearse', agreed: [] })"
              >Rehearse all</BButton
            >
            <BButton v-if="through(3) && !through(4)" variant="primary" @click="asking = true">Run all …</BButton>
          </template>
        </template>
      </StationFooter>
      <RunAllDialog v-model="asking" :board="board" :error="go.error.value" :pending="go.isPending.value" @run="run" />
      <UndoAllDialog
        v-model="undoing"
        :board="board"
        :error="go.error.value"
        :pending="go.isPending.value"
        @undo="go.mutate({ to: 'undo', agreed: [] }, { onSuccess: () => (undoing = false) })"
      />
    </template>
  </div>
</template>

<style scoped>
.shell {
  display: flex;
  flex-direction: column;
  height: 100vh;
}
.title {
  margin: 0;
  font-size: 1rem;
}
.pill {
  padding: 2px 9px;
  border: 1px solid var(--rule);
  border-radius: 4px;
  background: var(--sheet);
}
.body {
  display: flex;
  flex: 1;
  flex-direction: column;
  min-height: 0;
  overflow: auto;
  background: var(--sheet);
}
.over {
  outline: 2px dashed var(--petrol);
  outline-offset: -6px;
}
.undecided {
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
  padding: 8px 18px;
}
.stopped {
  margin: 0;
  padding: 8px 18px 0;
}
.gaps {
  margin: 0;
  padding: 8px 18px 12px;
  list-style: none;
}
.gaps a {
  text-decoration: underline;
}
@media (max-width: 999.98px) {
  .shell {
    height: auto;
    min-height: 100vh;
  }
}
.limit {
  display: inline-flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
}
.limit .form-control {
  width: 72px;
}
</style>
