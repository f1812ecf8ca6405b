<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { counted, number } from '@/parts/format'
import { BOX, drawn, placed } from '@/sites/layout'

/** A site's record types and how they point at each other. */
const props = defineProps<{
  types: Schemas['TypeView'][]
  counts: Record<string, number>
  health: Record<string, Schemas['HealthView']>
  chosen: string
}>()
const emit = defineEmits<{ choose: [string] }>()
const map = computed(() => placed(props.types))
const at = computed(() => new Map(map.value.boxes.map((box) => [box.name, box])))
const links = computed(() => drawn(props.types, map.value.boxes))
const boxes = computed(() =>
  props.types.map((type) => ({
    type,
    box: at.value.get(type.name)!,
    says: says(type),
    chosen: type.name === props.chosen,
  })),
)

/** How many records there are, where that is known, and what tells them apart. */
function says(type: Schemas['TypeView']): string {
  const found = props.health[type.name]
  const known = props.counts[type.name]
  const atLeast = found && !found.error ? `${found.at_least} or more` : ''
  const many = known === undefined ? atLeast : number(known)
  const keys = type.fields.filter((field) => field.key).map((field) => field.title)
  if (type.out_of_reach) return 'cannot be imported'
  return [many, keys.length ? `by ${keys.join(', ')}` : counted(type.fields.length, 'field')].filter(Boolean).join(', ')
}
</script>

<template>
  <div class="map">
    <svg :viewBox="`0 0 ${map.width} ${map.height}`" :width="map.width" :height="map.height" aria-hidden="true">
      <g v-for="line in links" :key="line.key" :class="{ guessed: !line.sure }">
        <path :d="line.path" />
        <text :x="line.x" :y="line.y">{{ line.sure ? line.label : `${line.label}?` }}</text>
      </g>
    </svg>
    <button
      v-for="{ type, box, says: what, chosen: on } in boxes"
      :key="type.name"
      type="button"
      class="box"
      :class="{ on, away: type.out_of_reach }"
      :aria-pressed="on"
      :style="{ left: `${box.x}px`, top: `${box.y}px`, width: `${BOX.width}px`, height: `${BOX.height}px` }"
      @click="emit('choose', type.name)"
    >
      <b class="clip">{{ type.title }}</b>
      <span class="clip slate">{{ what }}</span>
    </button>
  </div>
</template>

<style scoped>
.map {
  position: relative;
}
svg {
  display: block;
}
path {
  fill: none;
  stroke: var(--petrol);
  stroke-opacity: 0.6;
  stroke-width: 1.3;
}
text {
  fill: var(--slate-text);
  font-size: 0.72rem;
  paint-order: stroke;
  stroke: var(--bs-body-bg);
  stroke-width: 4px;
  text-anchor: middle;
}
.guessed path {
  stroke: var(--marigold);
  stroke-dasharray: 4 4;
  stroke-opacity: 1;
}
.guessed text {
  fill: var(--marigold-text);
}
.box {
  position: absolute;
  display: grid;
  padding: 4px 9px;
  border: 1px solid var(--rule);
  border-radius: 4px;
  background: var(--sheet);
  color: inherit;
  text-align: left;
}
.box span {
  font-size: 0.78rem;
}
.box.on {
  border: 2px solid var(--petrol);
  padding: 3px 8px;
}
.box.away {
  border-style: dashed;
}
</style>
