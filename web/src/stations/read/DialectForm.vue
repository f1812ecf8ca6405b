<script setup lang="ts">
import { BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed, nextTick, ref } from 'vue'
import type { Schemas } from '@/api/client'
import { counted } from '@/parts/format'
import { delimiterOptions, encodingOptions, quoteOf, quoteOptions, readQuote } from '@/stations/read/dialects'

type Dialect = Schemas['Dialect']

/** How the file is read: guessed, and each part of it can be set otherwise. */
const props = defineProps<{ dialect: Dialect; offered: Schemas['SheetRef'][]; confidence: number; disabled: boolean }>()
const emit = defineEmits<{ change: [Partial<Dialect>] }>()

const OTHER = 'other'
const writing = ref(false)
const delimited = computed(() => props.dialect.format === 'delimited')
const hasLines = computed(() => delimited.value || props.dialect.format === 'workbook')
const sheets = computed(() =>
  props.offered.map((one) => ({
    value: one.name,
    text: [one.name || 'the whole file', one.rows ? `(${counted(one.rows, 'row')})` : '', one.note]
      .filter(Boolean)
      .join(' '),
  })),
)
const delimiters = computed(() => [...delimiterOptions(props.dialect.delimiter), { value: OTHER, text: 'other' }])
const choices = computed(() => [
  {
    label: 'Sheet',
    shown: props.offered.length > 1,
    value: props.dialect.sheet,
    options: sheets.value,
    choose: (sheet: string) => emit('change', { sheet }),
  },
  {
    label: 'Encoding',
    shown: delimited.value,
    value: props.dialect.encoding,
    options: encodingOptions(props.dialect.encoding),
    choose: (encoding: string) => emit('change', { encoding }),
  },
  {
    label: 'Delimiter',
    shown: delimited.value,
    value: writing.value ? OTHER : props.dialect.delimiter,
    options: delimiters.value,
    choose: chooseDelimiter,
  },
  {
    label: 'Quote',
    shown: delimited.value,
    value: quoteOf(props.dialect),
    options: quoteOptions,
    choose: (quote: string) => emit('change', readQuote(quote)),
  },
])
const lines = computed(() => [
  {
    part: 'header_line' as const,
    label: 'Header line',
    hint: 'The line where the header stands; 0 when there is none',
  },
  {
    part: 'footer_lines' as const,
    label: 'Last lines left off',
    hint: 'Totals and remarks at the end that are no rows',
  },
])
const formats: Record<string, string> = {
  workbook: 'a workbook',
  json: 'JSON',
  ndjson: 'JSON, one record a line',
  xml: 'XML',
}
const fitsHint = 'The share of the first rows that are as wide as the header'
const fits = computed(() =>
  delimited.value
    ? props.confidence >= 0.995
      ? 'the rows fit the header'
      : `${Math.round(props.confidence * 100)} % of the rows fit the header`
    : `read as ${formats[props.dialect.format] ?? props.dialect.format}`,
)

async function chooseDelimiter(delimiter: string) {
  writing.value = delimiter === OTHER
  if (!writing.value) return emit('change', { delimiter })
  await nextTick()
  document.getElementById('other-delimiter')?.focus()
}
function writeDelimiter(text: string) {
  if (!text) return
  writing.value = false
  emit('change', { delimiter: text })
}
</script>

<template>
  <form class="dialect" aria-label="How the file is read" @submit.prevent>
    <template v-for="choice in choices" :key="choice.label">
      <label v-if="choice.shown"
        >{{ choice.label }}
        <BFormSelect
          size="sm"
          :disabled="disabled"
          :model-value="choice.value"
          :options="choice.options"
          @update:model-value="choice.choose(String($event ?? ''))"
      /></label>
      <BFormInput
        v-if="choice.label === 'Delimiter' && writing"
        id="other-delimiter"
        size="sm"
        class="character"
        maxlength="1"
        model-value=""
        aria-label="Character between the cells"
        @update:model-value="writeDelimiter(String($event ?? ''))"
      />
    </template>
    <template v-if="hasLines">
      <label v-for="line in lines" :key="line.part" :title="line.hint"
        >{{ line.label }}
        <BFormInput
          size="sm"
          type="number"
          min="0"
          class="line"
          lazy
          :disabled="disabled"
          :model-value="dialect[line.part]"
          @update:model-value="emit('change', { [line.part]: Math.max(0, Math.floor(Number($event) || 0)) })"
      /></label>
    </template>
    <span class="slate" :title="fitsHint">{{ fits }}</span>
    <span class="end"><slot /></span>
  </form>
</template>

<style scoped>
.dialect {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 14px;
  padding: 9px 18px;
  border-bottom: 1px solid var(--rule);
}
label,
.slate {
  white-space: nowrap;
}
label {
  display: flex;
  align-items: center;
  gap: 6px;
}
.dialect :deep(select) {
  width: auto;
  max-width: 480px;
}
.line {
  width: 60px;
}
.character {
  width: 44px;
}
.end {
  display: flex;
  align-items: baseline;
  gap: 14px;
  white-space: nowrap;
  margin-left: auto;
}
@media (max-width: 767.98px), (max-height: 459.98px) {
  .dialect {
    padding: 9px 12px;
  }
  .end {
    flex-wrap: wrap;
    margin-left: 0;
  }
  .dialect :deep(select) {
    max-width: 220px;
  }
}
</style>
