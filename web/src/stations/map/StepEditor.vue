<script setup lang="ts">
import { BFormSelect } from 'bootstrap-vue-next'
import { computed, inject } from 'vue'
import FormulaEditor from '@/formula/FormulaEditor.vue'
import { formulaPlace } from '@/formula/useFormula'
import { kindOf } from '@/parts/forms'
import SchemaForm from '@/parts/SchemaForm.vue'
import type { FieldMapping, Step } from '@/stations/map/useMapping'

/** `field` and `until`: what the value so far is, for formulas. */
const props = defineProps<{ step: Step; field: FieldMapping; until: number }>()
const emit = defineEmits<{ change: [Step]; columns: [string[]] }>()
const place = inject(formulaPlace)
const columns = computed(() => place?.columns.value ?? [])
const more = computed(() =>
  ['', ...columns.value]
    .filter((name) => !props.field.columns.includes(name))
    .map((name) => ({ value: name, text: name })),
)
const value = computed(() => props.step as unknown as Record<string, unknown>)
</script>

<template>
  <SchemaForm
    :kind="kindOf(step.kind)"
    :value="value"
    :columns="columns"
    @change="emit('change', $event as unknown as Step)"
  >
    <template v-if="step.kind === 'join'" #first>
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
    <template #formula="{ text, input, set }">
      <FormulaEditor
        :model-value="text"
        :label="input.title"
        :field="field"
        :until="until"
        :hint="input.description"
        @update:model-value="set"
      />
    </template>
  </SchemaForm>
</template>

<style scoped>
.joined {
  display: flex;
  justify-content: space-between;
  min-width: 0;
}
</style>
