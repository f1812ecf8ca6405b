<script setup lang="ts">
import StationFooter from '@/parts/StationFooter.vue'
import StateMark from '@/parts/StateMark.vue'
import { BButton } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Schemas } from '@/api/client'
import { counted } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import { useSession } from '@/session/useSession'
import ReadingProgress from '@/reading/ReadingProgress.vue'
import { useReading } from '@/reading/useReading'
import ColumnPanel from '@/stations/read/ColumnPanel.vue'
import DialectForm from '@/stations/read/DialectForm.vue'
import FilesPanel from '@/stations/read/FilesPanel.vue'
import RowFilterPanel from '@/stations/read/RowFilterPanel.vue'
import RecordsGrid from '@/stations/read/RecordsGrid.vue'
import ReadAnother from '@/stations/read/ReadAnother.vue'
import ShapePanel from '@/stations/read/ShapePanel.vue'
import ShapeStrip from '@/stations/read/ShapeStrip.vue'
import SheetGrid from '@/stations/read/SheetGrid.vue'
import SheetSearch from '@/stations/read/SheetSearch.vue'
import SheetTabs from '@/stations/read/SheetTabs.vue'
import { useShape } from '@/stations/read/useShape'
import { useActions, type Overview } from '@/workbench/useImport'

const props = defineProps<{ overview: Overview }>()
const route = useRoute()
const router = useRouter()
const { mayEdit } = useSession()
const { setDialect, readFile } = useActions(computed(() => props.overview.id))
const reading = useReading()
const shape = useShape(computed(() => props.overview.id))
const sheets = computed(() => [props.overview.sheet, ...props.overview.beside])
/** The sheet that is looked at is in the address, by its role. */
const sheet = computed(() => sheets.value.find((one) => one.role === route.query.sheet) ?? props.overview.sheet)
const isMain = computed(() => !sheet.value.role)
/** What was chosen last, before the server has read the file that way. */
const wanted = ref<Schemas['Dialect'] | null>(null)
const dialect = computed(() => wanted.value ?? (sheet.value.dialect as Schemas['Dialect']))

const flags = computed(() => Object.entries(sheet.value.flags))
const says: Record<string, string> = {
  short: 'fewer cells than the header',
  long: 'more cells than the header',
  'header again': 'the header repeated',
  undecodable: 'bytes that the encoding cannot read',
  'unclosed quote': 'a quote that is never closed',
  unreadable: 'text that is no record; it stands in the first column',
}

/** What stands beside the sheet is in the address: a column's profile, or the filter of rows. */
const column = computed(() => {
  const name = route.query.column
  return typeof name === 'string' && sheet.value.headers.includes(name) ? name : null
})
const filtering = computed(() => isMain.value && route.query.filter === 'rows')
const showsFiles = computed(() => isMain.value && route.query.files === 'shown')
const shaping = computed(() => route.query.shape === 'change')
const asRecords = computed(() => isMain.value && route.query.as === 'records' && !!shape.view.value?.shapes.length)
const { view: shapeView } = shape
function open(part: Record<string, string | undefined>) {
  void router.replace({ query: { ...route.query, ...part } })
}
const flag = computed(() => (typeof route.query.flag === 'string' ? route.query.flag : ''))
const searched = computed(() => (typeof route.query.find === 'string' && !flag.value ? route.query.find : ''))
const grid = ref<InstanceType<typeof SheetGrid> | null>(null)
function show([place, , column]: Schemas['FoundRow']) {
  grid.value?.go(place, column ?? 0)
}
function change(part: Partial<Schemas['Dialect']>) {
  const chosen = { ...dialect.value, ...part }
  wanted.value = chosen
  setDialect.mutate(
    { dialect: chosen, sheet: sheet.value.role, reading },
    {
      onSettled: () => {
        if (wanted.value === chosen) wanted.value = null
      },
    },
  )
}
</script>

<template>
  <main class="read">
    <SheetTabs
      v-if="sheets.length > 1"
      :sheets="sheets"
      :role="sheet.role"
      @choose="open({ sheet: $event || undefined, column: undefined, find: undefined, flag: undefined })"
    />
    <DialectForm
      :dialect="dialect"
      :offered="sheet.offered"
      :confidence="sheet.confidence"
      :disabled="!mayEdit"
      @change="change"
    >
      <SheetSearch
        :id="overview.id"
        :text="searched"
        :flag="flag"
        :sheet="sheet.role"
        @text="open({ find: $event || undefined, flag: undefined })"
        @show="show"
      />
      <BButton
        v-if="isMain"
        variant="link"
        size="sm"
        class="p-0"
        :aria-pressed="filtering"
        @click="open(filtering ? { filter: undefined } : { filter: 'rows', column: undefined, shape: undefined })"
        >Rows to import</BButton
      >
      <BButton
        v-if="isMain && overview.map.take_files.length"
        variant="link"
        size="sm"
        class="p-0"
        :aria-pressed="showsFiles"
        @click="
          open({ files: showsFiles ? undefined : 'shown', filter: undefined, column: undefined, shape: undefined })
        "
        >Files</BButton
      >
      <ReadAnother
        v-if="mayEdit"
        :sheet="sheet"
        @read="readFile.mutate({ file: $event, sheet: sheet.role, reading })"
      />
    </DialectForm>
    <div
      v-if="
        sheet.notes.length ||
        flags.length ||
        sheet.blank_lines ||
        sheet.attachments.length ||
        setDialect.error.value ||
        readFile.error.value ||
        reading.shown.value
      "
      class="notes"
    >
      <ReadingProgress
        v-if="reading.shown.value"
        :sent="reading.sent.value"
        :state="reading.state.value"
        @stop="reading.stop"
      />
      <ProblemNote :error="setDialect.error.value ?? readFile.error.value" />
      <p v-for="note in sheet.notes" :key="note"><StateMark state="warned" /> {{ note }}</p>
      <p v-for="[name, count] in flags" :key="name">
        <StateMark state="held" />
        <button
          type="button"
          class="visually-plain petrol"
          :aria-pressed="flag === name"
          @click="open({ flag: flag === name ? undefined : name })"
        >
          {{ counted(count, 'row') }} with {{ says[name] ?? name }}</button
        >; kept, marked, and held until settled.
      </p>
      <p v-if="sheet.attachments.length" class="slate" :title="sheet.attachments.slice(0, 40).join('\n')">
        The archive holds {{ counted(sheet.attachments.length, 'other file')
        }}<template v-if="!overview.map.take_files.length">, which no field of these records takes</template>.
      </p>
      <p v-if="sheet.blank_lines" class="slate">{{ counted(sheet.blank_lines, 'blank line') }} passed over.</p>
    </div>
    <ShapeStrip
      v-if="isMain && shapeView && (shapeView.lists.length || shapeView.found.length || shapeView.shapes.length)"
      :view="shapeView"
      :kind="overview.record_type"
      :open="shaping"
      :as-records="asRecords"
      @change="open(shaping ? { shape: undefined } : { shape: 'change', filter: undefined, column: undefined })"
      @records="open({ as: $event ? 'records' : undefined, column: undefined })"
    />
    <RecordsGrid v-if="asRecords" :id="overview.id" :shapes="shapeView?.shapes" />
    <SheetGrid
      v-else
      :id="overview.id"
      ref="grid"
      :key="sheet.role + sheet.filename + JSON.stringify(sheet.dialect)"
      :sheet="sheet.role"
      :headers="sheet.headers"
      :total="sheet.rows"
      :disabled="!mayEdit"
      :column="column"
      @column="open({ column: $event ?? undefined, filter: undefined, shape: undefined })"
    />
    <ColumnPanel
      v-if="column"
      :id="overview.id"
      :column="column"
      :sheet="sheet.role"
      @close="open({ column: undefined })"
    />
    <ShapePanel
      v-else-if="shaping && shapeView"
      :id="overview.id"
      :view="shapeView"
      :headers="overview.sheet.headers"
      :site="overview.site_id"
      :source="overview.sheet.source_id"
      :disabled="!mayEdit"
      @close="open({ shape: undefined })"
    />
    <RowFilterPanel
      v-else-if="filtering"
      :id="overview.id"
      :columns="sheet.headers"
      :total="sheet.rows"
      :disabled="!mayEdit"
      @close="open({ filter: undefined })"
    />
    <FilesPanel v-else-if="showsFiles" :id="overview.id" :disabled="!mayEdit" @close="open({ files: undefined })" />
    <StationFooter>
      <span class="slate">Text stays as supplied. The original file is kept untouched.</span>
      <a class="ms-3" :href="`/api/imports/${overview.id}/sheets.xlsx`" download>Download the rows as they count now</a>
      <template #end
        ><RouterLink class="btn btn-primary" :to="`/imports/${overview.id}/map`"
          >Map {{ counted(overview.sheet.columns, 'column') }}</RouterLink
        >
      </template>
    </StationFooter>
  </main>
</template>

<style scoped>
.read {
  display: grid;
  grid-template: auto auto auto auto minmax(0, 1fr) auto / minmax(0, 1fr) auto;
}
.read > :deep(.dialect),
.read > .notes,
.read > :deep(.tabs),
.read > :deep(.strip),
.read > :deep(footer) {
  grid-column: 1 / -1;
}
.read > :deep(.tabs) {
  grid-row: 1;
}
.read > :deep(.dialect) {
  grid-row: 2;
}
.read > :deep(.strip) {
  grid-row: 4;
}
.read > :deep(.panel) {
  grid-row: 5;
  width: 336px;
}
.read > :deep(.frame) {
  grid-row: 5;
}
.read > :deep(footer) {
  grid-row: 6;
}
.notes {
  grid-row: 3;
  padding: 9px 18px 1px;
  border-bottom: 1px solid var(--rule);
  max-height: 172px;
  overflow: auto;
}
.notes p {
  margin: 0 0 6px;
}
@media (max-width: 767.98px), (max-height: 459.98px) {
  .read {
    display: block;
  }
  .read > :deep(.panel) {
    width: auto;
  }
  .read > :deep(.frame) {
    height: 76vh;
    min-height: 240px;
  }
}
</style>
