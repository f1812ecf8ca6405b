<script setup lang="ts">
import { BButton, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref, toRef } from 'vue'
import type { Schemas } from '@/api/client'
import DialogBox from '@/parts/DialogBox.vue'
import { useMappingFields } from '@/stations/map/useMapping'

type Fields = Schemas['Policy']['fields']
type One = Fields[string]

/** What becomes of each field of a record that is on the site already. */
const props = defineProps<{ id: number; fields: Fields }>()
const emit = defineEmits<{ change: [Fields]; close: [] }>()
const { data: mapping } = useMappingFields(toRef(props, 'id'))
const asARule: One = { write: 'always', items: 'as a whole' }
const kept = ref<Fields>({ ...props.fields })
/** What is written: the fields that are fed, those of a list of objects together. */
const written = computed(() => {
  const feeds = mapping.value?.mapping.fields ?? {}
  const fed = (mapping.value?.fields ?? []).filter((one) => feeds[one.path])
  const own = fed.filter((one) => !one.in_list)
  const lists = [...new Set(fed.flatMap((one) => (one.in_list ? [one.in_list.split('.')[0] ?? ''] : [])))]
  return [
    ...own.map((one) => ({ path: one.path, title: one.title, list: one.type === 'list' })),
    ...lists.map((path) => ({ path, title: path.replaceAll('_', ' '), list: true })),
  ]
})
const of = (path: string) => kept.value[path] ?? asARule
function set(path: string, more: Partial<One>) {
  const one = { ...of(path), ...more }
  const others = Object.fromEntries(Object.entries(kept.value).filter(([other]) => other !== path))
  const usual = one.write === asARule.write && one.items === asARule.items
  kept.value = usual ? others : { ...others, [path]: one }
}
const writes = [
  { value: 'always', text: 'always' },
  { value: 'if blank', text: 'only where the site has none' },
  { value: 'never', text: 'never' },
]
const items = [
  { value: 'as a whole', text: 'as a whole' },
  { value: 'add', text: 'add to what is there' },
  { value: 'take away', text: 'take from what is there' },
]
function keep() {
  emit('change', kept.value)
  emit('close')
}
</script>

<template>
  <DialogBox model-value title="What is written to records that are there" wide @update:model-value="emit('close')">
    <p class="slate">New records get every field. Of a record that is on the site, each field is written:</p>
    <table class="w-100">
      <tbody>
        <tr v-for="field in written" :key="field.path">
          <th scope="row">{{ field.title }}</th>
          <td>
            <BFormSelect
              size="sm"
              :aria-label="`When ${field.title} is written`"
              :model-value="of(field.path).write"
              :options="writes"
              @update:model-value="set(field.path, { write: $event as One['write'] })"
            />
          </td>
          <td>
            <BFormSelect
              v-if="field.list"
              size="sm"
              :aria-label="`How ${field.title} is written`"
              :model-value="of(field.path).items"
              :options="items"
              @update:model-value="set(field.path, { items: $event as One['items'] })"
            />
          </td>
        </tr>
      </tbody>
    </table>
    <div class="text-end mt-3">
      <BButton variant="link" @click="emit('close')">Cancel</BButton>
      <BButton variant="primary" @click="keep">Keep</BButton>
    </div>
  </DialogBox>
</template>

<style scoped>
th {
  font-weight: 400;
}
td,
th {
  padding: 3px 14px 3px 0;
  border-bottom: 1px solid var(--rule-faint);
}
</style>
