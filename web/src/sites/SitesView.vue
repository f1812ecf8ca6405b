<script setup lang="ts">
import { BButton, BForm, BFormGroup, BFormInput } from 'bootstrap-vue-next'
import { computed, reactive } from 'vue'
import { Problem } from '@/api/client'
import { useConnectSite, useSites } from '@/imports/useImports'
import { counted, time } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import { useSession } from '@/session/useSession'
import TopBar from '@/workbench/TopBar.vue'

const { mayAdminister } = useSession()
const { data: sites, error } = useSites()
const connect = useConnectSite()
const form = reactive({ name: '', address: '', token: '' })

/** Where the description says that the records are, if it is not where it came from. */
const elsewhere = computed(() => {
  const problem = connect.error.value
  return problem instanceof Problem && problem.code === 'another-server' ? String(problem.current?.server) : ''
})

function submit(server = '') {
  connect.mutate({ ...form, server }, { onSuccess: () => Object.assign(form, { name: '', address: '', token: '' }) })
}
</script>

<template>
  <div class="shell">
    <TopBar><span class="slate">Sites</span></TopBar>
    <main class="scroll">
      <h1 class="visually-hidden">Sites</h1>
      <div class="page">
        <ProblemNote :error="error" />
        <section v-for="site in sites" :key="site.id" class="site">
          <h2>{{ site.name }}</h2>
          <p class="mono slate mb-1">{{ site.address }}</p>
          <p class="mb-0">
            Described itself as {{ site.title }} on {{ time(site.described_at) }}:
            {{ site.record_types.map((type) => `${type.title} (${counted(type.fields, 'field')})`).join(', ') }}
          </p>
        </section>
        <section v-if="mayAdminister">
          <h2>Connect a site</h2>
          <p class="slate">
            A site describes itself in an OpenAPI document. Connecting one of the same name again replaces its address
            and token.
          </p>
          <BForm class="form" @submit.prevent="submit()">
            <BFormGroup label="Name" label-for="site-name" class="mb-3">
              <BFormInput id="site-name" v-model="form.name" required />
            </BFormGroup>
            <BFormGroup label="Address of its OpenAPI document" label-for="site-address" class="mb-3">
              <BFormInput id="site-address" v-model="form.address" type="url" required class="mono" />
            </BFormGroup>
            <BFormGroup label="Token" label-for="site-token" class="mb-3" description="Kept encrypted, never shown.">
              <BFormInput id="site-token" v-model="form.token" type="password" autocomplete="off" />
            </BFormGroup>
            <div v-if="elsewhere" class="elsewhere" role="alert">
              <p>
                The site’s description says that its records are at <span class="mono">{{ elsewhere }}</span>, another
                server than the one you gave. The token would be sent there.
              </p>
              <BButton variant="outline-primary" size="sm" @click="submit(elsewhere)"
                >Send it there, and connect</BButton
              >
            </div>
            <ProblemNote v-else :error="connect.error.value" />
            <BButton type="submit" variant="primary" :disabled="connect.isPending.value">Connect</BButton>
          </BForm>
        </section>
      </div>
    </main>
  </div>
</template>

<style scoped>
.shell {
  display: grid;
  grid-template-rows: 46px 1fr;
  height: 100%;
}
.scroll {
  overflow: auto;
}
.site {
  padding: 0 0 16px;
  margin-bottom: 20px;
  border-bottom: 1px solid var(--rule);
}
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
