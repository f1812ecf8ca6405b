<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import { counted, time } from '@/parts/format'
import StateMark from '@/parts/StateMark.vue'

/** What is to be said below the map of a site: how it is, what was not understood, what has changed. */
const props = defineProps<{
  page: Schemas['PageView']
  health: Schemas['HealthView'][]
  /** Whether it has just described itself anew. */
  works: boolean
  links: number
  guesses: number
}>()
const all = ref(false)
const wrong = computed(() => props.health.filter((one) => one.error))
const latest = computed(() => props.page.versions[0])
const sentence = (one: Schemas['DifferenceView']) =>
  one.field ? `${one.record_type}: ${one.field} ${one.what}` : `${one.record_type} ${one.what}`
</script>

<template>
  <div class="notes">
    <p class="mono slate mb-1 wrap">{{ page.site.address }}</p>
    <p class="slate mb-2">
      A line says that one record points at another.
      <template v-if="guesses">
        <StateMark state="warned" /> Broken lines, {{ guesses }} of {{ links }}, are guessed by names: correct them
        where they are wrong.
      </template>
      Description {{ latest?.version
      }}{{ page.corrections ? `, ${counted(page.corrections, 'record type')} corrected` : '' }};
      {{ counted(page.imports, 'import') }}{{ page.imports && !page.behind.length ? ', all on it' : '' }}.
    </p>
    <p v-if="works" class="mb-2" role="status">
      <StateMark state="good" /> It answers, lets Datorum in, and has described itself anew.
    </p>
    <slot />
    <p v-if="health.length && !wrong.length" class="mb-2" role="status">
      <StateMark state="good" /> All lists answer, the slowest in
      {{ Math.max(...health.map((one) => one.milliseconds)) }} ms.
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
      <StateMark state="warned" /> On an earlier description: {{ page.behind.join(', ') }}. Each goes on with the latest
      when you say so there.
    </p>
  </div>
</template>

<style scoped>
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
</style>
