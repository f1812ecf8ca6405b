<script setup lang="ts">
import { BButton, BForm, BFormGroup, BFormInput } from 'bootstrap-vue-next'
import { computed, reactive, ref, useId } from 'vue'
import { Problem, type Schemas } from '@/api/client'
import ProblemNote from '@/parts/ProblemNote.vue'
import { blank, signInOf } from '@/sites/signIn'
import SignInFields from '@/sites/SignInFields.vue'
import type { SiteFields } from '@/sites/useSites'

/** What is to be said about a site: a new one, or one that is known, whose sign-in is never shown. */
const props = defineProps<{ site?: Schemas['SiteView']; error: Error | null; busy: boolean }>()
const emit = defineEmits<{ submit: [SiteFields]; cancel: [] }>()
const form = reactive({ name: props.site?.name ?? '', address: props.site?.address ?? '' })
const typed = ref(blank())
/** Other servers that the sign-in may be sent to. */
const servers = ref<string[]>([])
const id = useId()

/** Where the description sends requests, if it is not where it came from. */
const elsewhere = computed(() => {
  const problem = props.error
  return problem instanceof Problem && problem.code === 'another-server' ? String(problem.current?.server) : ''
})

function submit(server?: string) {
  if (server) servers.value.push(server)
  emit('submit', { ...form, sign_in: signInOf(typed.value), servers: servers.value })
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
    <SignInFields v-model="typed" :kept="!!site" />
    <div v-if="elsewhere" class="elsewhere" role="alert">
      <p>
        The site’s description sends requests to <span class="mono">{{ elsewhere }}</span>, another server than the one
        you gave. What you typed to sign in would be sent there.
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
