<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import type { Schemas } from '@/api/client'
import { counted, time } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'
import { useSession } from '@/session/useSession'
import SiteForm from '@/sites/SiteForm.vue'
import SiteMap from '@/sites/SiteMap.vue'
import TypePanel from '@/sites/TypePanel.vue'
import {
  useChangeSite,
  useRemoveSite,
  useSiteHealth,
  useSitePage,
  useTakeCorrections,
  type SiteFields,
} from '@/sites/useSites'
import TopBar from '@/workbench/TopBar.vue'

/** One site: what it keeps and how that hangs together, how it is, and what an administrator can do about it. */
const props = defineProps<{ id: number }>()
const router = useRouter()
const { mayAdminister, mayEdit } = useSession()
const { data: page, error } = useSitePage(() => props.id)
const health = useSiteHealth(() => props.id)
const change = useChangeSite()
const trial = useChangeSite()
const remove = useRemoveSite()
const corrections = useTakeCorrections()
const doing = ref<'' | 'edit' | 'remove'>('')
const chosen = ref('')
const all = ref(false)

const types = computed(() => page.value?.types ?? [])
const type = computed(() => types.value.find((one) => one.name === chosen.value) ?? types.value[0])
const links = computed(() => types.value.reduce((sum, one) => sum + one.links.length, 0))
const guesses = computed(() => types.value.flatMap((one) => one.links).filter((link) => link.confidence < 0.85).length)
const found = computed(() => Object.fromEntries((health.data.value ?? []).map((one) => [one.record_type, one])))
const wrong = computed(() => (health.data.value ?? []).filter((one) => one.error))
const works = computed(() => !!trial.data.value && !trial.isPending.value && !trial.error.value)
const latest = computed(() => page.value?.versions[0])
watch(
  () => props.id,
  () => (chosen.value = ''),
)

function keep(fields: SiteFields) {
  change.mutate({ id: props.id, ...fields }, { onSuccess: () => (doing.value = '') })
}
function open(what: '' | 'edit' | 'remove') {
  change.reset()
  remove.reset()
  doing.value = what
}
function take(event: Event) {
  const input = event.target as HTMLInputElement
  if (input.files?.[0]) corrections.mutate({ site: props.id, file: input.files[0] })
  input.value = ''
}
const sentence = (one: Schemas['DifferenceView']) =>
  one.field ? `${one.record_type}: ${one.field} ${one.what}` : `${one.record_type} ${one.what}`
</script>

<template>
  <div class="shell">
    <TopBar>
      <h1 class="title">
        <RouterLink to="/sites" class="up">Sites</RouterLink> / <b>{{ page?.site.name }}</b>
      </h1>
    </TopBar>
    <ProblemNote :error="error" class="m-3" />
    <template v-if="page">
      <section class="facts" aria-label="The site at a glance">
        <div>
          <b>{{ counted(types.length, 'record type') }}, {{ counted(links, 'link') }}</b>
          <span class="slate">described {{ time(page.site.described_at) }}</span>
        </div>
        <div>
          <b>Sign-in</b>
          <span class="slate">{{ page.asks_for.join(', or ') || 'its document does not say what it asks for' }}</span>
        </div>
        <div>
          <b>Description {{ latest?.version }}</b>
          <span class="slate">{{
            page.corrections ? `${counted(page.corrections, 'record type')} corrected` : 'as the site gives it'
          }}</span>
        </div>
        <div>
          <b>{{ counted(page.imports, 'import') }}</b>
          <span class="slate">{{
            page.behind.length
              ? `${page.behind.length} rest on an earlier description`
              : 'all on the latest description'
          }}</span>
        </div>
      </section>
      <main class="body">
        <div class="left">
          <SiteForm
            v-if="doing === 'edit'"
            class="m-3"
            :site="page.site"
            :error="change.error.value"
            :busy="change.isPending.value"
            @submit="keep"
            @cancel="open('')"
          />
          <div v-else-if="doing === 'remove'" class="m-3">
            <p class="mb-1">
              Its sign-in, its corrections and the rules that were added to it are forgotten. The site itself stays as
              it is.
            </p>
            <ProblemNote :error="remove.error.value" />
            <BButton
              variant="outline-primary"
              size="sm"
              :disabled="remove.isPending.value"
              @click="remove.mutate(id, { onSuccess: () => router.push('/sites') })"
              >Remove {{ page.site.name }}</BButton
            >
            <BButton variant="link" size="sm" class="ms-3" @click="open('')">Leave it</BButton>
          </div>
          <div class="scroll" role="region" aria-label="Map of the record types" tabindex="0">
            <SiteMap :types="types" :health="found" :chosen="type?.name ?? ''" @choose="chosen = $event" />
          </div>
          <div class="notes">
            <p class="mono slate mb-1 wrap">{{ page.site.address }}</p>
            <p class="slate mb-2">
              A line says that one record points at another.
              <template v-if="guesses">
                <StateMark state="warned" /> Broken lines, {{ guesses }} of {{ links }}, are guessed by names: correct
                them where they are wrong.
              </template>
            </p>
            <p v-if="works" class="mb-2" role="status">
              <StateMark state="good" /> It answers, lets Datorum in, and has described itself anew.
            </p>
            <ProblemNote :error="trial.error.value ?? health.error.value ?? corrections.error.value" />
            <p v-if="health.data.value && !wrong.length" class="mb-2" role="status">
              <StateMark state="good" /> All lists answer, the slowest in
              {{ Math.max(...health.data.value.map((one) => one.milliseconds)) }} ms.
            </p>
            <p v-for="one in wrong" :key="one.record_type" class="mb-2" role="status">
              <StateMark state="held" /> {{ one.record_type }}: {{ one.error }}
            </p>
            <details v-if="page.not_understood.length">
              <summary>{{ counted(page.not_understood.length, 'part') }} of the document not understood</summary>
              <ul>
                <li v-for="gap in page.not_understood" :key="gap.where">
                  <span class="mono">{{ gap.where }}</span>: {{ gap.why }}
                </li>
              </ul>
            </details>
            <details v-if="page.versions.length > 1">
              <summary>What has changed</summary>
              <ul class="versions">
                <li v-for="version in page.versions" :key="version.version">
                  <b>{{ version.version }}</b>, {{ time(version.at) }}, {{ version.by }}:
                  <span v-if="!version.differences.length" class="slate">
                    {{ version.version === 1 ? 'first described' : 'nothing that imports rest on' }}
                  </span>
                  <template v-else>
                    {{
                      version.differences
                        .slice(0, all ? undefined : 6)
                        .map(sentence)
                        .join('; ')
                    }}
                    <BButton v-if="version.differences.length > 6 && !all" variant="link" size="sm" @click="all = true"
                      >and {{ version.differences.length - 6 }} more</BButton
                    >
                  </template>
                </li>
              </ul>
            </details>
            <p v-if="page.behind.length" class="mb-0">
              <StateMark state="warned" /> On an earlier description: {{ page.behind.join(', ') }}. Each goes on with
              the latest when you say so there.
            </p>
          </div>
        </div>
        <TypePanel v-if="type" :site="id" :type="type" :types="types" :disabled="!mayAdminister" />
      </main>
      <footer class="foot">
        <span class="slate">Corrections can be given to another Datorum.</span>
        <span class="space"></span>
        <a v-if="mayEdit" class="btn btn-link" :href="`/api/sites/${id}/backup`" download>Download a backup</a>
        <a class="btn btn-link" :href="`/api/sites/${id}/overlay`" :download="`site-${id}-corrections.json`"
          >Download corrections</a
        >
        <template v-if="mayAdminister">
          <label class="btn btn-link">
            Take corrections
            <input type="file" accept="application/json,.json" class="visually-hidden" @change="take" />
          </label>
          <BButton variant="link" @click="open(doing === 'edit' ? '' : 'edit')">Edit</BButton>
          <BButton variant="link" @click="open(doing === 'remove' ? '' : 'remove')">Remove</BButton>
          <BButton variant="outline-primary" :disabled="trial.isPending.value" @click="trial.mutate({ id })">{{
            trial.isPending.value ? 'Asking it …' : 'Describe anew'
          }}</BButton>
        </template>
        <BButton v-if="mayEdit" variant="primary" :disabled="health.isPending.value" @click="health.mutate()">{{
          health.isPending.value ? 'Looking …' : 'Look whether it works'
        }}</BButton>
      </footer>
    </template>
  </div>
</template>

<style scoped>
.shell {
  display: grid;
  grid-template-rows: auto auto minmax(0, 1fr) auto;
  height: 100%;
}
.title {
  margin: 0;
  font-size: inherit;
  font-weight: 400;
}
.up {
  text-decoration: underline;
}
.facts {
  display: grid;
  grid-template-columns: repeat(4, 1fr);
  border-bottom: 1px solid var(--rule);
  background: var(--sheet);
}
.facts div {
  display: grid;
  padding: 7px 16px;
  border-right: 1px solid var(--rule-faint);
}
.body {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 400px;
  min-height: 0;
}
.left {
  overflow-y: auto;
  min-width: 0;
}
.scroll {
  overflow-x: auto;
}
.notes {
  padding: 0 18px 18px;
}
.notes details {
  margin-bottom: 8px;
}
.wrap {
  overflow-wrap: anywhere;
}
.versions {
  list-style: none;
  padding: 0;
}
.foot {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 16px;
  padding: 9px 18px;
  border-top: 1px solid var(--rule);
  background: var(--sheet);
}
.foot .btn-link {
  padding: 4px 0;
}
.foot label:focus-within {
  outline: 2px solid var(--petrol);
}
.space {
  flex: 1;
}
@media (max-width: 999.98px) {
  .body {
    grid-template-columns: minmax(0, 1fr) 320px;
  }
}
@media (max-width: 767.98px), (max-height: 459.98px) {
  .shell {
    display: block;
    height: auto;
  }
  .facts {
    grid-template-columns: 1fr 1fr;
  }
  .body {
    display: block;
  }
}
</style>
