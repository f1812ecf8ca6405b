<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed, toRef, type Component } from 'vue'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'
import CheckStation from '@/stations/check/CheckStation.vue'
import MapStation from '@/stations/map/MapStation.vue'
import ReadStation from '@/stations/read/ReadStation.vue'
import RehearseStation from '@/stations/rehearse/RehearseStation.vue'
import RunStation from '@/stations/run/RunStation.vue'
import VerifyStation from '@/stations/verify/VerifyStation.vue'
import GoTo from '@/workbench/GoTo.vue'
import SiteNews from '@/workbench/SiteNews.vue'
import StationRibbon from '@/workbench/StationRibbon.vue'
import TopBar from '@/workbench/TopBar.vue'
import { sendsMail } from '@/workbench/summaries'
import { useDialogs } from '@/workbench/useDialogs'
import { useImport, type Station } from '@/workbench/useImport'

const props = defineProps<{ id: number; station: Station }>()
const { data: overview, error } = useImport(toRef(props, 'id'))
const { openGoTo } = useDialogs()
const stations: Record<Station, Component> = {
  read: ReadStation,
  map: MapStation,
  check: CheckStation,
  rehearse: RehearseStation,
  run: RunStation,
  verify: VerifyStation,
}
const mail = computed(() => {
  if (sendsMail(overview.value?.policy)) return { state: 'warned' as const, text: 'Mail will be sent' }
  return overview.value?.site_can_be_silenced
    ? { state: 'good' as const, text: 'Mail silenced on the site' }
    : { state: 'warned' as const, text: 'The site may send mail' }
})
</script>

<template>
  <div class="bench">
    <TopBar>
      <h1 v-if="overview" class="crumb clip">
        {{ overview.site }} / <strong>{{ overview.name }}</strong> from
        <span class="mono">{{ overview.sheet.filename }}</span>
      </h1>
      <template #end>
        <span v-if="overview" class="pill"><StateMark :state="mail.state" /> {{ mail.text }}</span>
        <BButton class="pill" variant="link" @click="openGoTo">Go to… <kbd>Ctrl K</kbd></BButton>
      </template>
    </TopBar>
    <template v-if="overview">
      <StationRibbon :overview="overview" :station="station" />
      <SiteNews v-if="overview.site_says_otherwise" :overview="overview" />
      <component :is="stations[station]" :key="id" :overview="overview" class="station" />
      <GoTo :overview="overview" />
    </template>
    <ProblemNote :error="error" class="m-4" />
  </div>
</template>

<style scoped>
.bench {
  display: grid;
  grid-template: auto 52px auto minmax(0, 1fr) / minmax(0, 1fr);
  height: 100%;
}
.crumb {
  margin: 0;
  color: var(--slate-text);
  font-size: inherit;
  font-weight: 400;
}
.crumb strong {
  color: var(--bs-body-color);
}
.pill {
  padding: 3px 9px;
  border: 1px solid var(--rule);
  border-radius: 4px;
  background: var(--sheet);
  color: var(--bs-body-color);
}
.station {
  grid-row: 4;
  min-height: 0;
}
@media (max-width: 767.98px), (max-height: 459.98px) {
  .bench {
    display: block;
    height: auto;
  }
  .crumb {
    white-space: normal;
    overflow-wrap: anywhere;
  }
}
</style>
