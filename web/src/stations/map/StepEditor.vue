<script setup lang="ts">
import { BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed, inject, useId } from 'vue'
import FormulaEditor from '@/formula/FormulaEditor.vue'
import { formulaPlace } from '@/formula/useFormula'
import { stepKinds, type Input } from '@/stations/map/stepKinds'
import type { FieldMapping, Step } from '@/stations/map/useMapping'

/** `field` and `until`: what the value so far is, for formulas. */
const props = defineProps<{ step: Step; field: FieldMapping; until: number }>()
const emit = defineEmits<{ change: [Step]; columns: [string[]] }>()
const id = useId()
const place = inject(formulaPlace)
const columns = computed(() => ['', ...(place?.columns.value ?? [])].map((name) => ({ value: name, text: name })))
const joins = computed(() => props.step.kind === 'join')
const more = computed(() => columns.value.filter(({ value }) => !props.field.columns.includes(value)))
const kind = computed(() => stepKinds[props.step.kind])

function shown(name: string): string {
  const value = (props.step as unknown as Record<string, unknown>)[name]
  return Array.isArray(value) ? value.join(', ') : String(value ?? '')
}
function set(input: Input, text: string) {
  const { name } = input
  const value = input.list
    ? text
        .split(',')
        .map((word) => word.trim())
        .filter(Boolean)
    : input.number
      ? Number(text) || 0
      : input.truth
        ? text === 'true'
        : text
  emit('change', { ...props.step, [name]: value } as Step)
}
</script>

<template>
  <div v-if="kind.inputs.length" class="inputs">
    <template v-if="joins">
      <div v-for="name in field.columns" :key="name" class="input">
        <span></span>
        <span class="joined"
          ><span class="clip">{{ name }}</span>
          <button
            v-if="field.columns.length > 1"
            type="button"
            class="visually-plain"
            :aria-label="`Leave ${name} out of the join`"
            @click="
              emit(
                'columns',
                field.columns.filter((one) => one !== name),
              )
            "
          >
            ×
          </button></span
        >
      </div>
      <label class="input"
        ><span class="slate">and</span>
        <BFormSelect
          size="sm"
          aria-label="and the column"
          :model-value="''"
          :options="more"
          @update:model-value="$event && emit('columns', [...field.columns, String($event)])"
        />
      </label>
    </template>
    <component
      :is="input.formula ? 'div' : 'label'"
      v-for="input in kind.inputs"
      :key="input.name"
      class="input"
      :class="{ wide: input.formula }"
      :title="input.hint"
    >
      <span class="slate">{{ input.label }}</span>
      <FormulaEditor
        v-if="input.formula"
        :model-value="shown(input.name)"
        :label="input.label"
        :field="field"
        :until="until"
        :hint="input.hint"
        @update:model-value="set(input, $event)"
      />
      <input
        v-else-if="input.truth"
        type="checkbox"
        class="tick"
        :aria-label="input.label"
        :checked="shown(input.name) === 'true'"
        @change="set(input, String(($event.target as HTMLInputElement).checked))"
      />
      <BFormSelect
        v-else-if="input.column || input.options"
        size="sm"
        :aria-label="input.label"
        :model-value="shown(input.name)"
        :options="input.column ? columns : input.options"
        @update:model-value="set(input, String($event))"
      />
      <BFormInput
        v-else
        size="sm"
        class="mono"
        :lazy="input.list || input.number"
        :aria-label="input.label"
        :list="input.usual && `${id}-${input.name}`"
        :model-value="shown(input.name)"
        @update:model-value="set(input, String($event ?? ''))"
      />
      <datalist v-if="input.usual" :id="`${id}-${input.name}`">
        <option v-for="one in input.usual" :key="one" :value="one" />
      </datalist>
      <span v-if="input.hint && !input.formula" class="hint slate small">{{ input.hint }}</span>
    </component>
  </div>
</template>

<style scoped>
.inputs {
  display: grid;
  gap: 4px;
  margin: 4px 0;
}
.input {
  display: grid;
  grid-template-columns: 92px 1fr;
  align-items: center;
  gap: 0 8px;
}
.input.wide {
  grid-template-columns: 1fr;
}
.joined {
  display: flex;
  justify-content: space-between;
  min-width: 0;
}
.tick {
  justify-self: start;
}
.hint {
  grid-column: 2;
}
</style>
