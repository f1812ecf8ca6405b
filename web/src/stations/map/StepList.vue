<script setup lang="ts">
import StateMark from '@/parts/StateMark.vue'
import { computed, ref } from 'vue'
import { Problem, type Schemas } from '@/api/client'
import StepMenu from '@/stations/map/StepMenu.vue'
import StepEditor from '@/stations/map/StepEditor.vue'
import { begun, hasInputs, kindOf } from '@/parts/forms'
import type { FieldMapping, Step } from '@/stations/map/useMapping'

const props = defineProps<{
  field: FieldMapping
  views: Schemas['StepView'][]
  /** Why the field cannot be worked out with these steps, if it cannot. */
  error: Error | null
  disabled: boolean
}>()
const steps = computed(() => props.field.steps)
const emit = defineEmits<{ change: [Step[]]; columns: [string[]] }>()
/** The step that the error is of, counted from 0; the last where it does not say. */
const broken = computed(() => {
  if (!props.error) return -1
  const step = props.error instanceof Problem ? props.error.place.step : undefined
  return typeof step === 'number' ? step - 1 : steps.value.length - 1
})
const open = ref<number | null>(null)
const menu = ref<InstanceType<typeof StepMenu> | null>(null)

function add(kind: Step['kind']) {
  open.value = hasInputs(kind) ? steps.value.length : null
  emit('change', [...steps.value, begun(kind) as unknown as Step])
}
function set(index: number, step: Step) {
  emit('change', steps.value.with(index, step))
}
function remove(index: number) {
  open.value = null
  emit('change', steps.value.toSpliced(index, 1))
}
function move(index: number, by: 1 | -1) {
  const moved = steps.value[index]
  if (!moved || index + by < 0 || index + by >= steps.value.length) return
  open.value = null
  emit('change', steps.value.toSpliced(index, 1).toSpliced(index + by, 0, moved))
}
defineExpose({ openMenu: () => menu.value?.show(), add })
</script>

<template>
  <h3 class="panel-heading">
    <span>Steps</span>
    <StepMenu v-if="!disabled" ref="menu" @add="add" />
  </h3>
  <p v-if="!steps.length" class="slate mb-0">
    {{
      field.columns.length > 1
        ? 'None: the columns are joined by a space.'
        : 'None: the value lands as it was supplied.'
    }}
  </p>
  <ol class="steps">
    <li v-for="(step, index) in steps" :key="index">
      <span class="slate">{{ index + 1 }}</span>
      <div class="what">
        <button
          type="button"
          class="visually-plain sentence"
          :aria-expanded="open === index"
          :disabled="disabled || !hasInputs(step.kind)"
          @click="open = open === index ? null : index"
        >
          {{ views[index]?.sentence ?? kindOf(step.kind).label }}
        </button>
        <StepEditor
          v-if="open === index"
          :step="step"
          :field="field"
          :until="index"
          @change="set(index, $event)"
          @columns="emit('columns', $event)"
        />
        <p v-if="index === broken" class="brick mb-0" role="alert"><StateMark state="held" /> {{ error?.message }}</p>
        <div v-else-if="views[index] && broken < 0" class="mono slate live" :title="views[index]?.after ?? ''">
          {{ views[index]?.before ?? 'blank' }} →
          <b v-if="!views[index]?.problem">{{ views[index]?.after ?? 'blank' }}</b>
          <b v-else class="brick"><StateMark state="held" /> {{ views[index]?.problem }}</b>
        </div>
      </div>
      <span v-if="!disabled" class="moves">
        <button
          type="button"
          class="visually-plain"
          :aria-label="`Move step ${index + 1} up`"
          :disabled="!index"
          @click="move(index, -1)"
        >
          ↑
        </button>
        <button
          type="button"
          class="visually-plain"
          :aria-label="`Move step ${index + 1} down`"
          :disabled="index === steps.length - 1"
          @click="move(index, 1)"
        >
          ↓
        </button>
        <button type="button" class="visually-plain" :aria-label="`Remove step ${index + 1}`" @click="remove(index)">
          ×
        </button>
      </span>
    </li>
  </ol>
</template>

<style scoped>
.steps {
  margin: 0;
  padding: 0;
  list-style: none;
}
.steps li {
  display: grid;
  grid-template-columns: 20px minmax(0, 1fr) auto;
  padding: 4px 0;
}
.live {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: pre;
}
.live b {
  color: var(--bs-body-color);
  font-weight: 400;
}
.brick,
.live b.brick {
  color: var(--brick);
}
.sentence:not(:disabled):hover {
  text-decoration: underline;
}
.moves button {
  min-width: 24px;
  min-height: 24px;
  text-align: center;
}
.moves {
  display: flex;
  align-self: start;
  color: var(--slate-text);
}
.moves button:disabled {
  color: var(--rule);
}
</style>
