<script setup lang="ts">
import { BDropdown, BDropdownDivider, BDropdownItem } from 'bootstrap-vue-next'
import { computed } from 'vue'
import type { Card } from '@/migration/useMigration'
import { counted, number } from '@/parts/format'
import StateMark from '@/parts/StateMark.vue'

/** An import on the board: how far it is at each of the six stations, each of which can be gone to. */
const props = defineProps<{ card: Card; kinds: string[]; mayEdit: boolean }>()
const emit = defineEmits<{ of: [string]; letGo: []; takeOut: [] }>()
const SHORT = { read: 'read', map: 'map', check: 'check', rehearse: 'reh.', run: 'run', verify: 'ver.' }
const next = computed(() => props.card.stations.find((one) => one.done < 1 || one.stale)?.station ?? 'verify')
const others = computed(() => props.kinds.filter((one) => one !== props.card.record_type))
const percent = (share: number) => `${100 * share}%`
</script>

<template>
  <article class="card-of" :aria-label="card.name">
    <header>
      <RouterLink :to="`/imports/${card.import_id}/${next}`" class="name clip" :title="card.name"
        ><b>{{ card.name }}</b></RouterLink
      >
      <span v-if="card.held" class="held" :title="`${counted(card.held, 'record')} held`"
        ><StateMark state="held" /> {{ number(card.held) }}</span
      >
      <span class="space"></span>
      <BDropdown
        v-if="mayEdit"
        variant="link"
        size="sm"
        no-caret
        text="⋯"
        end
        strategy="fixed"
        :toggle-attrs="{ 'aria-label': `What can be done with ${card.name}` }"
      >
        <BDropdownItem v-for="kind in card.sheet_id ? others : []" :key="kind" @click="emit('of', kind)"
          >These are {{ kind.replaceAll('-', ' ') }}</BDropdownItem
        >
        <BDropdownDivider v-if="card.sheet_id" />
        <BDropdownItem v-if="card.sheet_id" @click="emit('letGo')">Leave the sheet out</BDropdownItem>
        <BDropdownItem @click="emit('takeOut')">Keep it as an import by itself</BDropdownItem>
      </BDropdown>
    </header>
    <span class="mono slate clip" :title="card.files.join(', ')"
      >{{ card.files.join(', ') }}, {{ number(card.records) }}</span
    >
    <p v-if="card.problem" class="problem clip" :title="card.problem">{{ card.problem }}</p>
    <ol v-else class="six">
      <li v-for="one in card.stations" :key="one.station">
        <RouterLink
          :to="`/imports/${card.import_id}/${one.station}`"
          :title="one.stale ? `Stale: ${one.stale}` : one.text"
          :aria-label="`${card.name}, ${one.station}: ${one.stale ? `stale, ${one.stale}` : one.text}`"
        >
          <i :class="{ going: one.going, stale: one.stale }"
            ><u class="good" :style="{ width: percent(one.done) }"></u
            ><u class="bad" :style="{ width: percent(one.held), minWidth: one.held ? '2px' : 0 }"></u
          ></i>
          <span class="short" :data-short="SHORT[one.station]"></span>
        </RouterLink>
      </li>
    </ol>
  </article>
</template>

<style scoped>
.card-of {
  display: flex;
  flex-direction: column;
  padding: 6px 10px 5px;
  border: 1px solid var(--rule);
  border-radius: 4px;
  background: var(--bs-body-bg);
}
.card-of:hover,
.card-of:focus-within {
  border-color: var(--petrol);
  box-shadow: 0 0 0 1px var(--petrol);
}
header {
  display: flex;
  align-items: center;
  gap: 6px;
  min-width: 0;
  line-height: 1.2;
}
.name {
  min-width: 0;
  padding: 2px 0;
  color: inherit;
}
.held {
  flex: none;
  color: var(--brick);
}
.space {
  flex: 1;
}
header :deep(.btn) {
  min-width: 24px;
  padding: 0 4px;
  line-height: 1.2;
}
.problem {
  margin: 4px 0 0;
  color: var(--brick);
  font-size: 0.8rem;
}
.six {
  display: grid;
  grid-template-columns: repeat(6, 1fr);
  gap: 3px;
  margin: 3px 0 0;
  padding: 0;
  list-style: none;
}
.six a {
  display: block;
  min-height: 24px;
  padding-top: 4px;
  color: var(--slate-text);
  font-size: 0.7rem;
  line-height: 1.1;
}
/* What is short of the name, which is told whole. */
.short::before {
  content: attr(data-short);
}
.six a:hover {
  color: var(--petrol);
}
.six i {
  display: flex;
  height: 5px;
  margin-bottom: 2px;
  background: var(--rule);
}
.six .good {
  background: var(--moss);
}
.six .bad {
  background: var(--brick);
}
.six .stale .good {
  background: repeating-linear-gradient(90deg, var(--moss) 0 3px, transparent 3px 6px);
}
.going {
  outline: 1px solid var(--marigold);
  outline-offset: 1px;
}
</style>
