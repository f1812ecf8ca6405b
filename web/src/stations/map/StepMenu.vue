<script setup lang="ts">
import { BDropdown, BFormInput } from 'bootstrap-vue-next'
import { computed, nextTick, ref, useId, useTemplateRef } from 'vue'
import { usePicked } from '@/parts/usePicked'
import { kindOf, stepGroups, steps } from '@/parts/forms'
import type { Step } from '@/stations/map/useMapping'

/** The steps there are, in groups, found by any word of what they do. */
const emit = defineEmits<{ add: [Step['kind']] }>()
const menu = ref<InstanceType<typeof BDropdown> | null>(null)
const input = useTemplateRef('input')
const search = ref('')
const id = useId()

const kinds = steps.map((one) => one.kind as Step['kind']).filter((kind) => kind !== 'unusable')
const options = computed(() => {
  const words = search.value.trim().toLowerCase().split(/\s+/)
  const fits = (kind: Step['kind']) => {
    const { label, group, also } = kindOf(kind)
    return words.every((word) => `${label} ${group} ${also}`.toLowerCase().includes(word))
  }
  return stepGroups.flatMap((group) => kinds.filter((kind) => kindOf(kind).group === group && fits(kind)))
})
const { at, move, active } = usePicked(options, id, (now) => (search.value.trim() && now.length ? 0 : -1))
const begins = (index: number) => {
  const kind = options.value[index]
  const before = options.value[index - 1]
  return kind && kindOf(kind).group !== (before && kindOf(before).group) ? kindOf(kind).group : ''
}

async function opened() {
  search.value = ''
  await nextTick()
  input.value?.focus()
}
function add(index: number) {
  const kind = options.value[index]
  if (!kind) return
  menu.value?.hide()
  emit('add', kind)
}
defineExpose({ show: () => menu.value?.show() })
</script>

<template>
  <BDropdown
    ref="menu"
    text="Add a step"
    variant="link"
    size="sm"
    no-caret
    toggle-class="add"
    class="menu"
    auto-close="outside"
    role="group"
    end
    @shown="opened"
  >
    <li role="none" class="search">
      <BFormInput
        ref="input"
        v-model="search"
        size="sm"
        role="combobox"
        aria-expanded="true"
        aria-label="Find a step"
        placeholder="find a step"
        :aria-controls="`${id}-list`"
        :aria-activedescendant="active()"
        @keydown.down.prevent.stop="move(1)"
        @keydown.up.prevent.stop="move(-1)"
        @keydown.enter.prevent.stop="add(at)"
        @keydown.esc.prevent.stop="menu?.hide()"
      />
    </li>
    <li role="none">
      <ul :id="`${id}-list`" role="listbox" aria-label="Steps" class="kinds">
        <template v-for="(kind, index) in options" :key="kind">
          <li v-if="begins(index)" role="presentation" class="group">{{ begins(index) }}</li>
          <li
            :id="`${id}-${index}`"
            role="option"
            class="kind"
            :aria-selected="index === at"
            :class="{ at: index === at }"
            @click="add(index)"
          >
            {{ kindOf(kind).label }}
          </li>
        </template>
        <li v-if="!options.length" class="group">No step does that. A formula can do anything.</li>
      </ul>
    </li>
  </BDropdown>
</template>

<style scoped>
.menu :deep(.dropdown-menu) {
  width: 290px;
  padding-bottom: 0;
}
.search {
  padding: 0 8px 6px;
}
.kinds {
  max-height: min(420px, 52vh);
  padding: 0 0 6px;
  overflow-y: auto;
  border-top: 1px solid var(--rule);
  list-style: none;
}
.group {
  padding: 7px 10px 2px;
  color: var(--slate-text);
  font-size: 0.75rem;
}
.kind {
  padding: 3px 10px 3px 18px;
  cursor: pointer;
}
.kind.at,
.kind:hover {
  background: var(--petrol-tint);
}
:deep(.add) {
  padding: 0;
  font-size: 0.78rem;
}
</style>
