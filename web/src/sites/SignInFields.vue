<script setup lang="ts">
import { BButton, BFormCheckbox, BFormGroup, BFormInput } from 'bootstrap-vue-next'
import { ref, useId, watchEffect } from 'vue'
import { blank, type SignInTyped, type WayIn } from '@/sites/signIn'

/** What a site is given so that it lets Datorum in: one thing, or several together. Never filled in with what is kept. */
const model = defineModel<SignInTyped>({ required: true })
const { kept = false } = defineProps<{ kept?: boolean }>()
const id = useId()
const chosen = ref<WayIn[]>(kept ? [] : ['token'])
const ways: { way: WayIn; text: string }[] = [
  { way: 'token', text: 'A token' },
  { way: 'password', text: 'A name and a password' },
  { way: 'keys', text: 'Keys' },
  { way: 'client', text: 'A client’s id and secret' },
]
watchEffect(() => {
  // What is no longer asked for is not sent either.
  const none = blank()
  const gone: Partial<SignInTyped> = {
    ...(chosen.value.includes('token') ? {} : { token: none.token }),
    ...(chosen.value.includes('password') ? {} : { user: none.user, password: none.password }),
    ...(chosen.value.includes('keys') ? {} : { keys: none.keys }),
    ...(chosen.value.includes('client') ? {} : { client_id: none.client_id, client_secret: none.client_secret }),
  }
  Object.assign(model.value, gone)
})
const secret = { type: 'password', autocomplete: 'off' } as const
</script>

<template>
  <fieldset class="mb-3">
    <legend>What it asks for</legend>
    <div class="ways">
      <BFormCheckbox v-for="{ way, text } in ways" :key="way" v-model="chosen" :value="way">{{ text }}</BFormCheckbox>
    </div>
    <BFormGroup v-if="chosen.includes('token')" label="Token" :label-for="`${id}-token`" class="mb-2">
      <BFormInput :id="`${id}-token`" v-model="model.token" v-bind="secret" />
    </BFormGroup>
    <div v-if="chosen.includes('password')" class="pair mb-2">
      <BFormGroup label="Name there" :label-for="`${id}-user`">
        <BFormInput :id="`${id}-user`" v-model="model.user" autocomplete="off" />
      </BFormGroup>
      <BFormGroup label="Password" :label-for="`${id}-password`">
        <BFormInput :id="`${id}-password`" v-model="model.password" v-bind="secret" />
      </BFormGroup>
    </div>
    <template v-if="chosen.includes('keys')">
      <div v-for="(key, at) in model.keys" :key="at" class="pair mb-2">
        <BFormGroup label="Name of the key" :label-for="`${id}-key-${at}`">
          <BFormInput
            :id="`${id}-key-${at}`"
            v-model="key.name"
            class="mono"
            placeholder="X-API-Key"
            autocomplete="off"
          />
        </BFormGroup>
        <BFormGroup label="Key" :label-for="`${id}-value-${at}`">
          <BFormInput :id="`${id}-value-${at}`" v-model="key.value" v-bind="secret" />
        </BFormGroup>
      </div>
      <BButton variant="link" size="sm" class="mb-2" @click="model.keys.push({ name: '', value: '' })"
        >Add another key</BButton
      >
    </template>
    <div v-if="chosen.includes('client')" class="pair mb-2">
      <BFormGroup label="Client’s id" :label-for="`${id}-client`">
        <BFormInput :id="`${id}-client`" v-model="model.client_id" autocomplete="off" />
      </BFormGroup>
      <BFormGroup label="Client’s secret" :label-for="`${id}-secret`">
        <BFormInput :id="`${id}-secret`" v-model="model.client_secret" v-bind="secret" />
      </BFormGroup>
    </div>
    <p class="slate mb-0">
      {{ kept ? 'With nothing chosen it keeps what is kept.' : 'With nothing chosen it is asked without.' }} Kept
      encrypted, never shown.
    </p>
  </fieldset>
</template>

<style scoped>
legend {
  font-size: inherit;
  margin-bottom: 4px;
}
.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 18px;
  margin-bottom: 8px;
}
.pair {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(160px, 1fr));
  gap: 8px 12px;
}
</style>
