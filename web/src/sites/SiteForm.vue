<script setup lang="ts">
import { BButton, BForm, BFormGroup, BFormInput } from 'bootstrap-vue-next'
import { computed, reactive, useId } from 'vue'
import { Problem, type Schemas } from '@/api/client'
import ProblemNote from '@/parts/ProblemNote.vue'
import type { SiteFields } from '@/sites/useSites'

/** What is to be said about a site: a new one, or one that is known, whose token is never shown. */
const props = defineProps<{ site?: Schemas['SiteView']; error: Error | null; busy: boolean }>()
const emit = defineEmits<{ submit: [SiteFields]; cancel: [] }>()
const form = reactive({ name: props.site?.name ?? '', address: props.site?.address ?? '', token: '' })
const id = useId()

/** Where the description says that the records are, if it is not where it came from. */
const elsewhere = computed(() => {
  const problem = props.error
  return problem instanceof Problem && problem.code === 'another-server' ? String(problem.current?.server) : ''
})

function submit(server = '') {
  const token = props.site && !form.token ? null : form.token
  emit('submit', { ...form, token, server })
}
</script>

<template>
  <BForm class="form" @submit.prevent="submit()">
    <BFormGroup label="Name" :label-for="`${id}-name`" class="mb-3">
      <BFormInput :id="`${id}-name`" v-model="form.name" required maxlength="120" />
    </BFormGroup>
    <BFormGroup
      label="Address of its OpenAPI document"
      :label-for="`${id}-address`"
      class="mb-3"
      description="Usually the site’s own address with /openapi.json behind it."
    >
      <BFormInput :id="`${id}-address`" v-model="form.address" type="url" required class="mono" />
    </BFormGroup>
    <BFormGroup
      label="Token"
      :label-for="`${id}-token`"
      class="mb-3"
      :description="site ? 'Empty keeps the one that is kept.' : 'Kept encrypted, never shown.'"
    >
      <BFormInput :id="`${id}-token`" v-model="form.token" type="password" autocomplete="off" />
    </BFormGroup>
    <div v-if="elsewhere" class="elsewhere" role="alert">
      <p>
        The site’s description says that its records are at <span class="mono">{{ elsewhere }}</span>, another server
        than the one you gave. The token would be sent there.
      </p>
      <BButton variant="outline-primary" size="sm" @click="submit(elsewhere)">Send it there, and connect</BButton>
    </div>
    <ProblemNote v-else :error="error" />
    <BButton type="submit" variant="primary" :disabled="busy">{{ site ? 'Try it, and keep it' : 'Connect' }}</BButton>
    <BButton v-if="site" variant="link" class="ms-3" @click="emit('cancel')">Leave it as it is</BButton>
  </BForm>
</template>

<style scoped>
.form {
  max-width: 460px;
}
.elsewhere {
  margin: 0 0 12px;
  padding: 7px 11px 11px;
  border-left: 3px solid var(--marigold);
  background: var(--sheet);
}
.elsewhere p {
  margin-bottom: 8px;
}
</style>
