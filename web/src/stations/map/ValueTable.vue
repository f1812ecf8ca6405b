<script setup lang="ts">
import StateMark from '@/parts/StateMark.vue'
import { BButton, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import type { Schemas } from '@/api/client'
import { counted, number } from '@/parts/format'
import TableTransfer from '@/stations/map/TableTransfer.vue'

type Table = Schemas['ValueTable']
const NOT_SET = '\0'

const props = defineProps<{
  values: Schemas['ValueCount'][]
  accepted: string[]
  distinct: number
  table: Table
  /** The name under which other fields of this mapping share the table. */
  name: string | null
  /** The named tables that the field could take instead. */
  names: string[]
  disabled: boolean
}>()
const emit = defineEmits<{ change: [Table]; suggest: []; remove: []; share: [string]; take: [string] }>()

const openOnly = ref(false)
const search = ref('')
const chosen = ref<string[]>([])
const pairs = computed(() => props.table.pairs ?? {})
const open = computed(() => props.values.filter((one) => !(one.value in pairs.value)))
const shown = computed(() => {
  // Those still open come first: they are what is to be settled.
  const all = openOnly.value ? open.value : [...open.value, ...props.values.filter((one) => one.value in pairs.value)]
  const wanted = search.value.trim().toLowerCase()
  return wanted ? all.filter((one) => one.value.toLowerCase().includes(wanted)) : all
})
const options = computed(() => [
  { value: NOT_SET, text: 'not set' },
  ...props.accepted.map((value) => ({ value, text: value })),
  { value: '', text: 'left blank' },
])
const otherwise = [
  { value: 'hold', text: 'hold its rows' },
  { value: 'keep', text: 'keep it as it is' },
  { value: 'blank', text: 'leave it blank' },
  { value: 'set', text: 'set it to …' },
]
const all = computed({
  get: () => shown.value.length > 0 && shown.value.every((one) => chosen.value.includes(one.value)),
  set: (on) => (chosen.value = on ? shown.value.map((one) => one.value) : []),
})

watch(
  () => props.values,
  (now) => (chosen.value = chosen.value.filter((value) => now.some((one) => one.value === value))),
)
function change(part: Partial<Table>) {
  emit('change', { ...props.table, ...part })
}
function set(values: string[], site: string) {
  const changed = { ...pairs.value }
  for (const value of values) {
    if (site === NOT_SET) delete changed[value]
    else changed[value] = site
  }
  change({ pairs: changed })
}
function decide(site: string) {
  set(chosen.value, site)
  chosen.value = []
}
</script>

<template>
  <h3 id="value-table" class="panel-heading" tabindex="-1">
    <span>Value table{{ name ? ` “${name}”` : '' }}</span>
    <span v-if="open.length && table.otherwise === 'hold'" class="brick"
      ><StateMark state="held" /> {{ counted(open.length, 'value') }} open</span
    >
    <span v-else class="moss"><StateMark state="good" /> all {{ number(values.length) }} settled</span>
  </h3>
  <div v-if="values.length > 8" class="tools">
    <BFormInput v-model="search" size="sm" type="search" placeholder="find a value" aria-label="Find a value" />
    <label v-if="open.length" class="small"><input v-model="openOnly" type="checkbox" /> open only</label>
  </div>
  <div v-if="chosen.length && !disabled" class="tools decide">
    <span>Set {{ counted(chosen.length, 'value') }} to</span>
    <BFormSelect
      v-if="accepted.length"
      size="sm"
      :model-value="null"
      :options="[{ value: null, text: '…' }, ...options]"
      aria-label="Site value for all that are chosen"
      @update:model-value="$event != null && decide(String($event))"
    />
    <BFormInput
      v-else
      size="sm"
      lazy
      aria-label="Site value for all that are chosen"
      @update:model-value="decide(String($event ?? ''))"
    />
  </div>
  <table class="pairs">
    <thead class="small slate">
      <tr>
        <th class="tick">
          <input v-if="!disabled && values.length > 1" v-model="all" type="checkbox" aria-label="Choose all" />
          <span v-else class="visually-hidden">Chosen</span>
        </th>
        <th>Supplied</th>
        <th class="count">Rows</th>
        <th class="site">On the site</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="one in shown" :key="one.value">
        <td class="tick">
          <input
            v-if="!disabled && values.length > 1"
            v-model="chosen"
            type="checkbox"
            :value="one.value"
            :aria-label="`Choose ${one.value}`"
          />
        </td>
        <td class="mono clip" :title="one.value">{{ one.value }}</td>
        <td class="mono slate count">{{ number(one.count) }}</td>
        <td>
          <BFormSelect
            v-if="accepted.length"
            size="sm"
            :class="{ open: !(one.value in pairs) && table.otherwise === 'hold' }"
            :model-value="pairs[one.value] ?? NOT_SET"
            :options="options"
            :disabled="disabled"
            :aria-label="`Site value for ${one.value}`"
            @update:model-value="set([one.value], String($event ?? ''))"
          />
          <BFormInput
            v-else
            size="sm"
            lazy
            :class="{ open: !(one.value in pairs) && table.otherwise === 'hold' }"
            :placeholder="one.value in pairs ? 'left blank' : 'not set'"
            :model-value="pairs[one.value] ?? ''"
            :disabled="disabled"
            :aria-label="`Site value for ${one.value}`"
            @update:model-value="set([one.value], String($event ?? ''))"
          />
        </td>
      </tr>
      <tr>
        <td></td>
        <td colspan="2">anything else</td>
        <td>
          <BFormSelect
            size="sm"
            :model-value="table.otherwise"
            :options="otherwise"
            :disabled="disabled"
            aria-label="Anything else"
            @update:model-value="change({ otherwise: $event as Table['otherwise'] })"
          />
          <BFormInput
            v-if="table.otherwise === 'set'"
            size="sm"
            lazy
            :list="accepted.length ? 'accepted-values' : undefined"
            :model-value="table.other"
            :disabled="disabled"
            aria-label="Site value for anything else"
            @update:model-value="change({ other: String($event ?? '') })"
          />
          <datalist id="accepted-values"><option v-for="value in accepted" :key="value" :value="value" /></datalist>
        </td>
      </tr>
    </tbody>
  </table>
  <p v-if="distinct > values.length" class="slate small mb-1">
    The {{ number(values.length) }} commonest of {{ number(distinct) }} values.
  </p>
  <div v-if="!disabled" class="buttons">
    <BButton v-if="open.length" variant="link" size="sm" @click="emit('suggest')">Set the certain ones</BButton>
    <TableTransfer
      :values="values"
      :table="table"
      :name="name"
      :names="names"
      @change="emit('change', $event)"
      @share="emit('share', $event)"
      @take="emit('take', $event)"
    />
    <BButton variant="link" size="sm" @click="emit('remove')">Do without a table</BButton>
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  align-items: center;
  gap: 8px;
  margin-bottom: 4px;
}
.tools label,
.tools > span {
  white-space: nowrap;
}
.decide {
  padding: 4px 6px;
  border-left: 3px solid var(--petrol);
  background: var(--petrol-tint);
}
.pairs {
  width: 100%;
  table-layout: fixed;
}
.pairs th {
  font-weight: 400;
}
.pairs td,
.pairs th {
  padding: 2px 6px 2px 0;
}
.tick {
  width: 24px;
}
.tick input {
  display: block;
  width: 16px;
  height: 16px;
}
.pairs tr {
  height: 27px;
}
.count {
  width: 50px;
  text-align: right;
}
.site {
  width: 118px;
}
.pairs td:last-child {
  padding-right: 0;
}
.pairs :deep(select),
.pairs :deep(input:not([type='checkbox'])) {
  padding-top: 1px;
  padding-bottom: 1px;
}
.pairs :deep(.open) {
  border-color: var(--brick);
}
.buttons {
  display: flex;
  flex-wrap: wrap;
  gap: 0 14px;
}
</style>
