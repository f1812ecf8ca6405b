<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { BButton, BFormInput } from 'bootstrap-vue-next'
import { computed, ref, toRef } from 'vue'
import { answer, api } from '@/api/client'
import { queries } from '@/api/queries'
import { time } from '@/parts/format'
import DialogBox from '@/parts/DialogBox.vue'
import ProblemNote from '@/parts/ProblemNote.vue'
import { useMappingFields } from '@/stations/map/useMapping'

/** The rules that people added to the site's record type, beside those of its own description. */
const props = defineProps<{ id: number; siteId: number; recordType: string; disabled: boolean }>()
const emit = defineEmits<{ changed: [] }>()
const open = defineModel<boolean>({ required: true })
const key = ['rules', toRef(props, 'siteId'), toRef(props, 'recordType')]
const { data: rules } = useQuery({
  queryKey: key,
  queryFn: () =>
    answer(
      api.GET('/api/sites/{site_id}/rules', {
        params: { path: { site_id: props.siteId }, query: { record_type: props.recordType } },
      }),
    ),
})
const { data: mapping } = useMappingFields(toRef(props, 'id'))
const formula = ref('')
const sentence = ref('')
const blocks = ref(true)
const error = ref<Error | null>(null)
const example = computed(() => mapping.value?.fields.find((field) => field.format === 'email')?.path ?? 'email')

async function changed(work: Promise<unknown>) {
  error.value = null
  try {
    await work
    await queries.invalidateQueries({ queryKey: key })
    emit('changed')
    return true
  } catch (caught) {
    error.value = caught as Error
    return false
  }
}
async function add() {
  const body = {
    record_type: props.recordType,
    formula: formula.value,
    sentence: sentence.value,
    blocks: blocks.value,
  }
  const path = { site_id: props.siteId }
  if (await changed(answer(api.POST('/api/sites/{site_id}/rules', { params: { path }, body })))) {
    formula.value = ''
    sentence.value = ''
  }
}
function remove(number: number) {
  const path = { site_id: props.siteId, number }
  return changed(answer(api.DELETE('/api/sites/{site_id}/rules/{number}', { params: { path } })))
}
</script>

<template>
  <DialogBox v-model="open" title="Rules of your own" wide>
    <p class="slate">
      They hold for every import of {{ recordType }} to this site. A formula names the site's fields in brackets and is
      TRUE for a sound record.
    </p>
    <table v-if="rules?.length" class="rules">
      <tbody>
        <tr v-for="rule in rules" :key="rule.id">
          <td class="mono">{{ rule.formula }}</td>
          <td>{{ rule.sentence }}</td>
          <td>{{ rule.blocks ? 'holds the row' : 'warns' }}</td>
          <td class="slate">{{ rule.by }}, {{ time(rule.at) }}</td>
          <td>
            <BButton v-if="!disabled" variant="link" size="sm" class="p-0" @click="remove(rule.id)">Remove</BButton>
          </td>
        </tr>
      </tbody>
    </table>
    <form v-if="!disabled" class="new" @submit.prevent="add">
      <label
        >Formula
        <BFormInput
          v-model="formula"
          class="mono"
          :placeholder="`=NOT(ISNUMBER(SEARCH(&quot;@old.&quot;;[${example}])))`"
      /></label>
      <label
        >What is wrong where it is not TRUE
        <BFormInput v-model="sentence" maxlength="300" placeholder="is an address of the old shop"
      /></label>
      <label class="which"><input v-model="blocks" type="checkbox" /> hold the rows; else only warn</label>
      <ProblemNote :error="error" />
      <div class="text-end">
        <BButton type="submit" variant="primary" :disabled="!formula.trim() || !sentence.trim()">Add the rule</BButton>
      </div>
    </form>
  </DialogBox>
</template>

<style scoped>
.rules {
  width: 100%;
  margin-bottom: 14px;
}
.rules td {
  padding: 4px 10px 4px 0;
  border-bottom: 1px solid var(--rule);
  overflow-wrap: anywhere;
  vertical-align: top;
}
.new {
  display: grid;
  gap: 10px;
}
.which {
  justify-self: start;
}
</style>
