<script setup lang="ts">
import { BFormCheckboxGroup, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import DialogBox from '@/parts/DialogBox.vue'

/** The records of a run as lists: the id map, with what the sheet has of each, and old addresses with new ones. */
const props = defineProps<{ id: number; run: number; headers: string[] }>()
const emit = defineEmits<{ close: [] }>()
const open = computed({ get: () => true, set: () => emit('close') })
const columns = ref<string[]>([])
const old = ref(props.headers.find((name) => /url|address of|link|slug|permalink/i.test(name)) ?? '')
const at = computed(() => `/api/imports/${props.id}/runs/${props.run}`)
const map = (form: string) =>
  `${at.value}/records.${form}?${new URLSearchParams(columns.value.map((name) => ['columns', name]))}`
const redirects = (form: string) => `${at.value}/redirects.${form}?${new URLSearchParams({ column: old.value })}`
</script>

<template>
  <DialogBox v-model="open" title="Take a list away" wide>
    <h3 class="panel-heading"><span>What each record became</span></h3>
    <p class="slate">Its row and key, its id and page on the site, and of the sheet:</p>
    <BFormCheckboxGroup v-model="columns" :options="headers" class="columns" aria-label="Columns of the sheet" />
    <p class="mt-2">
      <a :href="map('csv')" download class="text-decoration-underline me-3">Download as CSV</a>
      <a :href="map('xlsx')" download class="text-decoration-underline">as a workbook</a>
    </p>
    <h3 class="panel-heading mt-3"><span>Old and new addresses, for redirects</span></h3>
    <label class="old">
      The old address stands in
      <BFormSelect v-model="old" :options="[{ value: '', text: 'choose a column' }, ...headers]" size="sm" />
    </label>
    <p v-if="old" class="mt-2">
      <a :href="redirects('csv')" download class="text-decoration-underline me-3">Download as CSV</a>
      <a :href="redirects('xlsx')" download class="text-decoration-underline">as a workbook</a>
    </p>
  </DialogBox>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(180px, 1fr));
  max-height: 180px;
  overflow-y: auto;
}
.columns :deep(.form-check) {
  min-height: 28px;
  margin: 0;
}
.old {
  display: grid;
  grid-template-columns: 180px minmax(0, 1fr);
  align-items: baseline;
}
</style>
