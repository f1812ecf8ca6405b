<script setup lang="ts">
import { useIntervalFn, useNow } from '@vueuse/core'
import { BButton } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import FactRow from '@/parts/FactRow.vue'
import ProblemNote from '@/parts/ProblemNote.vue'
import { useSession } from '@/session/useSession'
import LimitsForm from '@/sites/LimitsForm.vue'
import SiteForm from '@/sites/SiteForm.vue'
import RemoveSite from '@/sites/RemoveSite.vue'
import SiteHistory from '@/sites/SiteHistory.vue'
import SiteMap from '@/sites/SiteMap.vue'
import SiteNotes from '@/sites/SiteNotes.vue'
import SnapshotPanel from '@/sites/SnapshotPanel.vue'
import TypePanel from '@/sites/TypePanel.vue'
import {
  useChangeSite,
  useSetLimits,
  useSiteHealth,
  useSitePage,
  useTakeCorrections,
  type SiteFields,
} from '@/sites/useSites'
import { isGuess } from '@/sites/sampled'
import { useSiteFacts, type Shown } from '@/sites/useSiteFacts'
import { isReading, summed, useReadSite, useSamples, useSnapshot } from '@/sites/useSnapshot'
import TopBar from '@/workbench/TopBar.vue'

/** One site: what it keeps and how that hangs together, how it is, and what an administrator can do about it. */
const props = defineProps<{ id: number }>()
const { mayAdminister, mayEdit } = useSession()
const { data: page, error } = useSitePage(() => props.id)
const { data: snapshot } = useSnapshot(() => props.id)
const health = useSiteHealth(() => props.id)
const change = useChangeSite()
const trial = useChangeSite()
const setLimits = useSetLimits()
const corrections = useTakeCorrections()
const readSite = useReadSite()
const now = useNow({ scheduler: (tick) => useIntervalFn(tick, 30_000) })
/** What the left of the page shows. */
const shown = ref<Shown>('map')
const chosen = ref('')

const types = computed(() => page.value?.types ?? [])
const type = computed(() => types.value.find((one) => one.name === chosen.value) ?? types.value[0])
const links = computed(() => types.value.reduce((sum, one) => sum + one.links.length, 0))
const guesses = computed(
  () => types.value.flatMap((one) => one.links).filter((link) => isGuess(link.confidence)).length,
)
const found = computed(() => Object.fromEntries((health.data.value ?? []).map((one) => [one.record_type, one])))
const works = computed(() => !!trial.data.value && !trial.isPending.value && !trial.error.value)
const kept = computed(() => summed(snapshot.value, now.value.getTime()))
const samples = useSamples(
  () => props.id,
  () => kept.value.asOf,
)
const sample = computed(() => samples.data.value?.find((one) => one.record_type === type.value?.name))
/** How many records there are of each type, as far as that was looked at. */
const counts = computed(() => ({
  ...Object.fromEntries(
    (snapshot.value ?? []).flatMap((one) => (one.kept === null ? [] : [[one.record_type, one.kept]])),
  ),
  ...Object.fromEntries(
    (health.data.value ?? []).flatMap((one) =>
      one.records === null || one.error ? [] : [[one.record_type, one.records]],
    ),
  ),
}))

const facts = useSiteFacts(page, snapshot, kept)
watch(
  () => props.id,
  () => {
    chosen.value = ''
    shown.value = 'map'
  },
)

function keep(fields: SiteFields) {
  change.mutate({ id: props.id, ...fields }, { onSuccess: () => (shown.value = 'map') })
}
function show(what: Shown) {
  change.reset()
  setLimits.reset()
  shown.value = what
}
function take(event: Event) {
  const input = event.target as HTMLInputElement
  if (input.files?.[0]) corrections.mutate({ site: props.id, file: input.files[0] })
  input.value = ''
}
function look() {
  show('map')
  health.mutate()
}
function describeAnew() {
  show('map')
  trial.mutate({ id: props.id })
}
function takeSnapshot() {
  readSite.mutate({ site: props.id, types: [] })
  show('snapshot')
}
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
      <FactRow :facts="facts" :shown="shown" label="The site at a glance" @show="show" />
      <main class="body">
        <div class="left">
          <template v-if="shown === 'sign-in'">
            <SiteForm
              v-if="mayAdminister"
              class="m-3"
              :site="page.site"
              :error="change.error.value"
              :busy="change.isPending.value"
              @submit="keep"
              @cancel="show('map')"
            />
            <p v-else class="m-3 slate">
              What the site is signed in to with is seen by nobody and changed by administrators.
            </p>
          </template>
          <SnapshotPanel
            v-else-if="shown === 'snapshot'"
            :site="id"
            :types="types"
            :snapshot="snapshot ?? []"
            :may-edit="mayEdit"
          />
          <LimitsForm
            v-else-if="shown === 'limits'"
            class="m-3"
            :limits="page.limits"
            :types="types.map((one) => one.name)"
            :error="setLimits.error.value"
            :busy="setLimits.isPending.value"
            :disabled="!mayAdminister"
            @submit="setLimits.mutate({ id, limits: $event }, { onSuccess: () => show('map') })"
          />
          <SiteHistory v-else-if="shown === 'history'" :site="id" />
          <RemoveSite v-else-if="shown === 'remove'" class="m-3" :page="page" @leave="show('map')" />
          <template v-else>
            <div class="scroll" role="region" aria-label="Map of the record types" tabindex="0">
              <SiteMap
                :types="types"
                :counts="counts"
                :health="found"
                :chosen="type?.name ?? ''"
                @choose="chosen = $event"
              />
            </div>
            <SiteNotes :page="page" :health="health.data.value ?? []" :works="works" :links="links" :guesses="guesses">
              <ProblemNote :error="trial.error.value ?? health.error.value ?? corrections.error.value" />
            </SiteNotes>
          </template>
        </div>
        <TypePanel
          v-if="type"
          :site="id"
          :type="type"
          :types="types"
          :sample="sample"
          :disabled="!mayAdminister"
          :may-edit="mayEdit"
        />
      </main>
      <footer class="foot">
        <a class="btn btn-link" :href="`/api/sites/${id}/overlay`" :download="`site-${id}-corrections.json`"
          >Download corrections</a
        >
        <label v-if="mayAdminister" class="btn btn-link">
          Take corrections
          <input type="file" accept="application/json,.json" class="visually-hidden" @change="take" />
        </label>
        <BButton v-if="mayAdminister" variant="link" @click="show(shown === 'remove' ? 'map' : 'remove')"
          >Remove</BButton
        >
        <span class="space"></span>
        <a v-if="mayEdit && kept.types" class="btn btn-link" :href="`/api/sites/${id}/backup`" download
          >Download the snapshot</a
        >
        <BButton v-if="mayAdminister" variant="link" :disabled="trial.isPending.value" @click="describeAnew">{{
          trial.isPending.value ? 'Asking it …' : 'Describe anew'
        }}</BButton>
        <BButton v-if="mayEdit" variant="outline-primary" :disabled="health.isPending.value" @click="look">{{
          health.isPending.value ? 'Looking …' : 'Look whether it works'
        }}</BButton>
        <BButton
          v-if="mayEdit"
          variant="primary"
          :disabled="readSite.isPending.value || isReading(snapshot)"
          @click="takeSnapshot"
          >Take a snapshot</BButton
        >
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
  .body {
    display: block;
  }
}
</style>
