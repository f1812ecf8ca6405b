<script setup lang="ts">
import { keepPreviousData, useMutation, useQuery } from '@tanstack/vue-query'
import { toRef } from 'vue'
import { answer, api } from '@/api/client'
import { queries } from '@/api/queries'
import { counted } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'

/** The rule of the site that a refusal tells: it can be made a check, which what is to come is held to. */
const props = defineProps<{ id: number; run: number; item: number; left: number; atRest: boolean; mayEdit: boolean }>()
const params = () => ({ path: { import_id: props.id, run_id: props.run, item: props.item } })
const { data: rule } = useQuery({
  // What a worker had taken is to come again when the run is paused.
  queryKey: ['refusal rule', toRef(props, 'id'), toRef(props, 'run'), toRef(props, 'item'), toRef(props, 'atRest')],
  placeholderData: keepPreviousData,
  queryFn: () => answer(api.GET('/api/imports/{import_id}/runs/{run_id}/refused/{item}/rule', { params: params() })),
})
const make = useMutation({
  mutationFn: () =>
    answer(api.POST('/api/imports/{import_id}/runs/{run_id}/refused/{item}/rule', { params: params() })),
  onSuccess: () => queries.invalidateQueries({ queryKey: ['import', props.id] }),
})
</script>

<template>
  <template v-if="rule?.formula">
    <p class="mb-1">
      What it refused {{ rule.sentence }}<template v-if="rule.taken">, unlike what it took</template>.
      <template v-if="left && rule.to_come"
        >{{ counted(rule.to_come, 'record') }} to come would be refused too.</template
      >
    </p>
    <p v-if="make.isSuccess.value" class="moss mb-1">It is a check of this site now.</p>
    <button
      v-else-if="mayEdit"
      type="button"
      class="visually-plain petrol me-3"
      :title="rule.formula"
      :disabled="make.isPending.value"
      @click="make.mutate()"
    >
      Make it a check of this site<template v-if="left && rule.to_come">, and hold the {{ rule.to_come }}</template>
    </button>
    <ProblemNote :error="make.error.value" />
  </template>
</template>
