<script setup lang="ts">
import { useMutation, useQuery } from '@tanstack/vue-query'
import { BButton, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import { answer, api } from '@/api/client'
import { queries } from '@/api/queries'
import DialogBox from '@/parts/DialogBox.vue'
import ProblemNote from '@/parts/ProblemNote.vue'

/** A column becomes a field that the site lacks: added by name and, where the site can be asked to, made there. */
const props = defineProps<{ id: number; column: string; recordType: string; mayAdd: boolean }>()
const emit = defineEmits<{ added: [string] }>()
const open = defineModel<boolean>({ required: true })
const { data: offered, error: unknown } = useQuery({
  queryKey: ['new field', computed(() => props.id), computed(() => props.column)],
  queryFn: () =>
    answer(
      api.GET('/api/imports/{import_id}/new-field', {
        params: { path: { import_id: props.id }, query: { column: props.column } },
      }),
    ),
})
const part = ref('')
const name = ref('')
const title = ref('')
watch(
  offered,
  (now) => {
    part.value = now?.parts[0]?.path ?? ''
    name.value = now?.name ?? ''
    title.value = now?.title ?? ''
  },
  { immediate: true },
)
const chosen = computed(() => offered.value?.parts.find((one) => one.path === part.value))
const records = computed(() => props.recordType.replaceAll('-', ' '))
const add = useMutation({
  mutationFn: () =>
    answer(
      api.POST('/api/imports/{import_id}/new-field', {
        params: { path: { import_id: props.id } },
        body: { part: part.value, name: name.value, title: title.value, column: props.column },
      }),
    ),
  onSuccess: async () => {
    await Promise.all(
      ['mapping', 'ledger', 'import'].map((one) => queries.invalidateQueries({ queryKey: [one, props.id] })),
    )
    open.value = false
    emit('added', `${part.value}.${name.value}`)
  },
})
</script>

<template>
  <DialogBox v-model="open" :title="`A field for ${column}`">
    <ProblemNote :error="unknown" />
    <template v-if="offered && !offered.parts.length">
      <p>
        The site’s {{ records }} take no fields beside those that it describes, and it has no operation that makes one.
      </p>
      <p class="mb-0">
        Add the field on the site itself, then read its description anew at the site’s page: the field is offered here
        then.
      </p>
    </template>
    <p v-else-if="offered && !mayAdd" class="mb-0">
      The site’s {{ records }} can have further fields. An administrator adds them, here or at the site’s page.
    </p>
    <form v-else-if="offered" class="new" @submit.prevent="add.mutate()">
      <label v-if="offered.parts.length > 1"
        >In
        <BFormSelect v-model="part" :options="offered.parts.map((one) => ({ value: one.path, text: one.title }))" />
      </label>
      <label
        >{{ chosen?.languages ? 'Language, by its code' : 'Name, as the site keeps it' }}
        <BFormInput v-model="name" class="mono" maxlength="100" required />
      </label>
      <label v-if="!chosen?.languages"
        >Title, for people
        <BFormInput v-model="title" maxlength="120" />
      </label>
      <p class="slate mb-0">
        <template v-if="chosen?.made_by"
          >The site keeps these among its {{ chosen.made_by.toLowerCase() }}. Where it has none of this name, the run
          makes it first; it is rehearsed, and taken back, with the rest.</template
        >
        <template v-else
          >The site says that it takes any name here, and has no operation that makes one: a run sends it as it is. If
          the site wants such fields to be added first, add it there.</template
        >
      </p>
      <ProblemNote :error="add.error.value" />
      <div class="text-end">
        <BButton type="submit" variant="primary" :disabled="add.isPending.value || !name.trim()">Add the field</BButton>
      </div>
    </form>
  </DialogBox>
</template>

<style scoped>
.new {
  display: grid;
  gap: 10px;
}
</style>
