<script setup lang="ts">
import StateMark from '@/parts/StateMark.vue'
import { completionKeymap } from '@codemirror/autocomplete'
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands'
import { bracketMatching } from '@codemirror/language'
import { setDiagnostics } from '@codemirror/lint'
import { EditorView, keymap, placeholder } from '@codemirror/view'
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, toRef, watch } from 'vue'
import type { Schemas } from '@/api/client'
import { callAt, completion, highlighting } from '@/formula/language'
import { useFunctions, useTriedFormula } from '@/formula/useFormula'

const props = defineProps<{
  modelValue: string
  label: string
  /** The field whose first `until` steps THIS() stands for. */
  field?: Schemas['FieldMapping']
  until?: number
  hint?: string
}>()
/** Only formulas that read are handed on. */
const emit = defineEmits<{ 'update:modelValue': [string] }>()

const text = ref(props.modelValue)
const place = ref(0)
const host = ref<HTMLElement | null>(null)
const view = shallowRef<EditorView | null>(null)
const { data: functions } = useFunctions()
const {
  data: tried,
  columns,
  settled,
} = useTriedFormula(
  text,
  toRef(props, 'field'),
  toRef(() => props.until ?? 0),
)
const call = computed(() => callAt(text.value, place.value))
const called = computed(() => functions.value?.find((one) => one.name === call.value?.name))
/** The signature in parts, the one that the cursor stands in marked. */
const signature = computed(() => {
  const parameters = called.value?.parameters ?? []
  const at = Math.min(call.value?.argument ?? 0, parameters.length - 1)
  return parameters.map((name, index) => ({ name, here: index === at }))
})

onMounted(() => {
  view.value = new EditorView({
    parent: host.value ?? undefined,
    doc: props.modelValue,
    extensions: [
      ...highlighting,
      completion(
        () => columns.value,
        () => functions.value ?? [],
      ),
      history(),
      bracketMatching(),
      placeholder('=PROPER([Surname])'),
      EditorView.lineWrapping,
      EditorView.contentAttributes.of({ 'aria-label': props.label, autocapitalize: 'off', spellcheck: 'false' }),
      keymap.of([...completionKeymap, ...defaultKeymap, ...historyKeymap]),
      EditorView.updateListener.of((update) => {
        if (update.docChanged) text.value = update.state.doc.toString()
        if (update.docChanged || update.selectionSet) place.value = update.state.selection.main.head
      }),
    ],
  })
})
onBeforeUnmount(() => view.value?.destroy())

watch(
  () => props.modelValue,
  (now) => {
    if (now === text.value || !view.value) return
    view.value.dispatch({ changes: { from: 0, to: view.value.state.doc.length, insert: now } })
  },
)
watch(tried, (now) => {
  if (!now || !view.value || settled.value !== text.value) return
  const end = view.value.state.doc.length
  const from = Math.min(now.at ?? 0, end)
  const marks = now.problem
    ? [{ from, to: Math.min(from + 1, end), severity: 'error' as const, message: now.problem }]
    : []
  view.value.dispatch(setDiagnostics(view.value.state, marks))
  if (!now.problem && text.value !== props.modelValue && text.value.trim()) emit('update:modelValue', text.value)
})
defineExpose({ focus: () => view.value?.focus() })
</script>

<template>
  <div class="formula">
    <div ref="host" class="host"></div>
    <p v-if="called" class="slate small mb-0 help">
      <b>{{ called.name }}</b>(<template v-for="(part, index) in signature" :key="index"
        ><template v-if="index">; </template><span :class="{ here: part.here }">{{ part.name }}</span></template
      >) — {{ called.summary }}
    </p>
    <p v-else-if="hint" class="slate small mb-0">{{ hint }}</p>
    <p v-if="tried?.problem" class="brick small mb-0" role="status">
      <StateMark state="held" /> {{ tried.problem
      }}<template v-if="tried.at != null"> (at character {{ tried.at + 1 }})</template>
    </p>
    <ol v-else-if="tried?.results.length" class="results mono" aria-label="What it makes of the rows shown">
      <li v-for="one in tried.results" :key="one.row">
        <span class="slate">row {{ one.row.toLocaleString('en') }}</span>
        <span v-if="one.problem" class="brick clip" :title="one.problem"
          ><StateMark state="held" /> {{ one.problem }}</span
        >
        <span v-else class="clip" :class="{ slate: one.value == null }" :title="one.value ?? ''">{{
          one.value ?? 'blank'
        }}</span>
      </li>
    </ol>
  </div>
</template>

<style scoped>
.formula {
  display: grid;
  gap: 4px;
  min-width: 0;
}
.host {
  border: 1px solid var(--bs-border-color);
  border-radius: 3px;
  background: var(--sheet);
}
.host:focus-within {
  outline: 2px solid var(--petrol);
  outline-offset: 1px;
}
.host :deep(.cm-editor) {
  outline: none;
}
.host :deep(.cm-content) {
  padding: 4px 0;
  font: 0.8rem/1.45 var(--mono);
  caret-color: var(--bs-body-color);
}
.host :deep(.cm-tooltip) {
  border: 1px solid var(--rule);
  background: var(--bs-body-bg);
  color: var(--bs-body-color);
}
.host :deep(.cm-tooltip-autocomplete ul li[aria-selected]) {
  background: var(--petrol-tint);
  color: var(--bs-body-color);
}
.host :deep(.cm-completionDetail) {
  color: var(--slate-text);
  font-style: normal;
}
.host :deep(.cm-placeholder) {
  color: var(--slate-text);
}
.here {
  color: var(--petrol);
  font-weight: 700;
}
.results {
  margin: 0;
  padding: 0;
  list-style: none;
}
.results li {
  display: grid;
  grid-template-columns: 76px minmax(0, 1fr);
}
</style>
