<script setup lang="ts">
import { BButton, BForm, BFormGroup, BFormInput } from 'bootstrap-vue-next'
import { ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import ProblemNote from '@/parts/ProblemNote.vue'
import ProductMark from '@/parts/ProductMark.vue'
import { useSession } from '@/session/useSession'

const { signIn } = useSession()
const router = useRouter()
const route = useRoute()
const name = ref('')
const password = ref('')
const error = ref<Error | null>(null)
const busy = ref(false)

async function submit() {
  busy.value = true
  error.value = null
  try {
    await signIn(name.value, password.value)
    const wanted = typeof route.query.to === 'string' && route.query.to.startsWith('/') ? route.query.to : '/'
    await router.replace(wanted)
  } catch (caught) {
    error.value = caught as Error
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <main class="sign-in">
    <h1><ProductMark /> Datorum</h1>
    <p class="slate">Spreadsheets onto your site: checked, rehearsed, proven, and reversible.</p>
    <BForm @submit.prevent="submit">
      <BFormGroup label="Name" label-for="name" class="mb-3">
        <BFormInput id="name" v-model="name" autocomplete="username" required autofocus />
      </BFormGroup>
      <BFormGroup label="Password" label-for="password" class="mb-3">
        <BFormInput id="password" v-model="password" type="password" autocomplete="current-password" required />
      </BFormGroup>
      <ProblemNote :error="error" />
      <BButton type="submit" variant="primary" :disabled="busy">Sign in</BButton>
    </BForm>
  </main>
</template>

<style scoped>
.sign-in {
  max-width: 340px;
  margin: 16vh auto 0;
  padding: 0 16px;
}
</style>
