<script setup lang="ts">
import { BButton, BFormInput } from 'bootstrap-vue-next'
import { computed, reactive, ref } from 'vue'
import type { Schemas } from '@/api/client'
import { counted, number } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'
import type { Proof } from '@/stations/verify/useProof'

/** What was sent, looked at as people see it: links from both sides, pages, and somebody who signs in. */
const props = defineProps<{ proof: Proof; site: string; people: boolean; busy: boolean; error: Error | null }>()
const emit = defineEmits<{ signIn: [Schemas['SignInAsked'], () => void] }>()
const asking = ref(false)
const typed = reactive({ address: '', name: '', password: '' })
const whole = computed(() => !!(typed.address && typed.name && typed.password))
function open() {
  asking.value = true
  typed.address ||= new URL('/sign-in', props.site).href
}
function tryIt() {
  emit('signIn', { ...typed }, () => {
    asking.value = false
    typed.password = ''
  })
}
</script>

<template>
  <section v-if="proof.links.length" aria-label="Links, looked at from both sides">
    <h3 class="panel-heading"><span>Links, looked at from both sides</span></h3>
    <template v-for="one in proof.links" :key="one.field">
      <p class="line">
        <span
          >{{ one.title }}<template v-if="one.there === null">: the site’s {{ one.to }} were not read</template
          ><template v-else>: {{ one.to }} that are there</template></span
        >
        <span v-if="one.there !== null" class="mono"
          ><StateMark :state="one.there === one.links ? 'good' : 'held'" /> {{ number(one.there)
          }}<template v-if="one.there !== one.links"> of {{ number(one.links) }}</template></span
        >
      </p>
      <p v-if="one.asked" class="line">
        <span>of {{ counted(one.asked, 'record') }} of these, asked for what links to them: show it</span>
        <span class="mono"
          ><StateMark :state="one.back === one.asked ? 'good' : 'held'" /> {{ number(one.back)
          }}<template v-if="one.back !== one.asked"> of {{ number(one.asked) }}</template></span
        >
      </p>
    </template>
  </section>
  <section v-if="proof.files" aria-label="Files, fetched back">
    <h3 class="panel-heading"><span>Files, fetched back</span></h3>
    <p v-if="proof.files.by_bytes" class="line">
      <span>compared byte by byte</span>
      <span class="mono"
        ><StateMark :state="proof.files.differ ? 'held' : 'good'" /> {{ number(proof.files.by_bytes) }}</span
      >
    </p>
    <p v-if="proof.files.by_size" class="line">
      <span>compared by the size that the site says</span>
      <span class="mono"><StateMark state="good" /> {{ number(proof.files.by_size) }}</span>
    </p>
    <p v-if="proof.files.untold" class="line">
      <span>taken, and not given back</span>
      <span class="mono"><StateMark state="warned" /> {{ number(proof.files.untold) }}</span>
    </p>
    <p v-if="proof.files.differ" class="brick small mb-1">
      {{ counted(proof.files.differ, 'file') }} {{ proof.files.differ === 1 ? 'is' : 'are' }} not what was sent
    </p>
  </section>
  <section v-if="proof.pages?.asked || people" aria-label="Proof by use">
    <h3 class="panel-heading"><span>Proof by use</span></h3>
    <p v-if="proof.pages?.asked" class="line">
      <span>pages of {{ counted(proof.pages.asked, 'record') }} answer</span>
      <span class="mono"
        ><StateMark :state="proof.pages.wrong.length ? 'held' : 'good'" />
        {{ number(proof.pages.asked - proof.pages.wrong.length) }}</span
      >
    </p>
    <p v-for="one in proof.pages?.wrong" :key="one.address" class="brick small mb-1">
      <a :href="one.address" target="_blank" rel="noopener">{{ one.address }}</a>
      {{ one.status === null ? 'does not answer' : `answers ${one.status}` }}
    </p>
    <p v-for="one in proof.sign_ins" :key="`${one.at}${one.name}`" class="line">
      <span
        >{{ one.name }} signs in<template v-if="!one.ok">: {{ one.why }}</template></span
      >
      <span><StateMark :state="one.ok ? 'good' : 'held'" /></span>
    </p>
    <template v-if="people">
      <BButton v-if="!asking" variant="outline-primary" size="sm" @click="open">Sign somebody in …</BButton>
      <form v-else class="ask" @submit.prevent="tryIt">
        <p class="slate small mb-1">With the password that they had before. It is kept nowhere.</p>
        <label>Page <BFormInput v-model="typed.address" size="sm" type="url" /></label>
        <label>Name <BFormInput v-model="typed.name" size="sm" autocomplete="off" /></label>
        <label>Password <BFormInput v-model="typed.password" size="sm" type="password" autocomplete="off" /></label>
        <BButton type="submit" variant="primary" size="sm" :disabled="!whole || busy">Try it</BButton>
        <BButton variant="link" size="sm" @click="asking = false">Leave it</BButton>
      </form>
      <ProblemNote :error="error" />
    </template>
  </section>
</template>

<style scoped>
.line {
  display: flex;
  gap: 8px;
  justify-content: space-between;
  margin: 0;
  padding: 3px 0;
  border-bottom: 1px solid var(--rule-faint);
}
.line .mono {
  white-space: nowrap;
}
.ask label {
  display: grid;
  grid-template-columns: 76px minmax(0, 1fr);
  align-items: baseline;
  margin-bottom: 5px;
}
section {
  margin-top: 14px;
}
</style>
