<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import { counted, time } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'
import SiteForm from '@/sites/SiteForm.vue'
import { useChangeSite, useRemoveSite, type SiteFields } from '@/sites/useSites'

/** One site: what it says of itself, and what an administrator can do about it. */
const props = defineProps<{ site: Schemas['SiteView']; disabled: boolean }>()
const change = useChangeSite()
const trial = useChangeSite()
const remove = useRemoveSite()
const doing = ref<'' | 'edit' | 'remove'>('')
const works = computed(() => !!trial.data.value && !trial.isPending.value && !trial.error.value)

function keep(fields: SiteFields) {
  change.mutate({ id: props.site.id, ...fields }, { onSuccess: () => (doing.value = '') })
}
function open(what: '' | 'edit' | 'remove') {
  change.reset()
  remove.reset()
  trial.reset()
  doing.value = what
}
</script>

<template>
  <section class="site" :aria-label="site.name">
    <header>
      <h2>{{ site.name }}</h2>
      <span v-if="!disabled" class="actions">
        <BButton variant="link" size="sm" :disabled="trial.isPending.value" @click="trial.mutate({ id: site.id })">{{
          trial.isPending.value ? 'Trying it …' : 'Try it again'
        }}</BButton>
        <BButton variant="link" size="sm" @click="open(doing === 'edit' ? '' : 'edit')">Edit</BButton>
        <BButton variant="link" size="sm" @click="open(doing === 'remove' ? '' : 'remove')">Remove</BButton>
      </span>
    </header>
    <p class="mono slate mb-1 address">{{ site.address }}</p>
    <p class="mb-1">
      <span class="slate">It calls itself</span> {{ site.title }}<span class="slate">, and keeps</span>
      {{ site.record_types.map((type) => `${type.title} (${counted(type.fields, 'field')})`).join(', ')
      }}<span class="slate">. Described {{ time(site.described_at) }}.</span>
    </p>
    <p v-if="works" class="mb-1" role="status">
      <StateMark state="good" /> It answers, lets Datorum in, and has described itself anew.
    </p>
    <ProblemNote :error="trial.error.value" />
    <SiteForm
      v-if="doing === 'edit'"
      class="mt-3"
      :site="site"
      :error="change.error.value"
      :busy="change.isPending.value"
      @submit="keep"
      @cancel="open('')"
    />
    <div v-else-if="doing === 'remove'" class="mt-2">
      <p class="mb-1">
        Its sign-in, and the rules that were added to it, are forgotten. The site itself stays as it is.
      </p>
      <ProblemNote :error="remove.error.value" />
      <BButton variant="outline-primary" size="sm" :disabled="remove.isPending.value" @click="remove.mutate(site.id)"
        >Remove {{ site.name }}</BButton
      >
      <BButton variant="link" size="sm" class="ms-3" @click="open('')">Leave it</BButton>
    </div>
  </section>
</template>

<style scoped>
.site {
  padding: 0 0 14px;
  margin-bottom: 18px;
  border-bottom: 1px solid var(--rule);
}
header {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  justify-content: space-between;
}
.actions {
  display: flex;
  gap: 16px;
}
.address {
  overflow-wrap: anywhere;
}
</style>
