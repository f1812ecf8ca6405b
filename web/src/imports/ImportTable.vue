<script setup lang="ts">
import { BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { matching, ordered, states, type Listed, type Order } from '@/imports/states'
import { number, time } from '@/parts/format'
import StateMark from '@/parts/StateMark.vue'

/** A line for each import, which opens it; the slot is what else can be done with it. */
const props = defineProps<{ imports: Listed[]; label: string }>()
const router = useRouter()
const MANY = 6

const text = ref('')
const state = ref('')
const site = ref('')
const by = ref<Order>('changed')
const down = ref(true)
const shown = computed(() =>
  ordered(matching(props.imports, text.value, state.value, site.value), by.value, down.value),
)
const sites = computed(() => [...new Set(props.imports.map((one) => one.site))].toSorted())
const choices = computed(() => [
  { value: '', text: 'in any state' },
  ...Object.entries(states)
    .filter(([name]) => props.imports.some((one) => one.state === name))
    .map(([name, { title }]) => ({ value: name, text: title })),
])
const headings: { name: string; order?: Order; numeric?: boolean }[] = [
  { name: 'Import', order: 'name' },
  { name: 'To', order: 'site' },
  { name: 'Where it stands', order: 'state' },
  { name: 'Rows', order: 'rows', numeric: true },
  { name: 'Last changed', order: 'changed' },
]

const address = (one: Listed) => `/imports/${one.id}/${states[one.state].station}`
function sort(order: Order) {
  down.value = by.value === order ? !down.value : order === 'changed' || order === 'rows'
  by.value = order
}
function sorted(order?: Order) {
  return order === by.value ? (down.value ? 'descending' : 'ascending') : undefined
}
function open(event: MouseEvent, one: Listed) {
  if (!(event.target as HTMLElement).closest('button, a, input, select, form')) void router.push(address(one))
}
</script>

<template>
  <div v-if="imports.length > MANY" class="find">
    <BFormInput
      v-model="text"
      type="search"
      size="sm"
      placeholder="find by name, file, site or person"
      aria-label="Find"
    />
    <BFormSelect v-model="state" size="sm" :options="choices" aria-label="State" />
    <BFormSelect
      v-if="sites.length > 1"
      v-model="site"
      size="sm"
      :options="[{ value: '', text: 'to any site' }, ...sites]"
      aria-label="Site"
    />
    <span class="slate" role="status">{{ number(shown.length) }} of {{ number(imports.length) }}</span>
  </div>
  <div class="wide">
    <table class="list" :aria-label="label">
      <thead>
        <tr>
          <th v-for="one in headings" :key="one.name" :class="{ num: one.numeric }" :aria-sort="sorted(one.order)">
            <button v-if="one.order" type="button" class="visually-plain" @click="sort(one.order)">
              {{ one.name }} <span aria-hidden="true">{{ by === one.order ? (down ? '↓' : '↑') : '' }}</span>
            </button>
          </th>
          <th><span class="visually-hidden">What can be done</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="item in shown" :key="item.id" @click="open($event, item)">
          <td>
            <RouterLink :to="address(item)">{{ item.name }}</RouterLink>
            <small class="slate mono clip">{{ item.id }} · {{ item.filename }}</small>
          </td>
          <td>
            {{ item.site }}<small class="slate">{{ item.record_type }}</small>
          </td>
          <td>
            <StateMark :state="states[item.state].mark(item)" /> {{ states[item.state].title
            }}<small class="slate">{{ states[item.state].says(item) }}</small>
          </td>
          <td class="num mono">{{ number(item.rows) }}</td>
          <td>
            {{ time(item.changed_at)
            }}<small class="slate"
              >by {{ item.changed_by
              }}<template v-if="item.created_by !== item.changed_by">, begun by {{ item.created_by }}</template></small
            >
          </td>
          <td class="num"><slot :item="item" /></td>
        </tr>
        <tr v-if="!shown.length">
          <td colspan="6" class="slate">No import is so.</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.find {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
  margin: 8px 0;
}
.find > * {
  width: auto;
}
.find > input {
  flex: 0 1 300px;
}
.wide {
  overflow-x: auto;
}
.list {
  width: 100%;
}
.list th {
  color: var(--slate-text);
  font-weight: 400;
  font-size: 0.78rem;
}
.list th,
.list td {
  padding: 6px 14px 6px 0;
  border-bottom: 1px solid var(--rule);
  vertical-align: top;
}
.list tbody tr {
  cursor: pointer;
}
.list tbody tr:hover {
  background: color-mix(in srgb, var(--petrol-tint) 40%, transparent);
}
.list small {
  display: block;
  max-width: 320px;
}
.list .num {
  text-align: right;
}
</style>
