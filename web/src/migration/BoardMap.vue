<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref, useTemplateRef } from 'vue'
import BoardCard from '@/migration/BoardCard.vue'
import { CARD, drawn, placed } from '@/migration/layout'
import type { Board } from '@/migration/useMigration'

/** Imports in the order that their links demand, one column behind the other. */
const props = defineProps<{ board: Board; mayEdit: boolean }>()
defineEmits<{ of: [number, string]; letGo: [number]; takeOut: [number] }>()
const own = useTemplateRef<HTMLElement>('own')
const { width: room } = useElementSize(own)
const map = computed(() => placed(props.board, room.value))
const lines = computed(() => drawn(props.board, map.value.at))
const over = ref<number | null>(null)
const heads = computed(() =>
  Array.from({ length: props.board.layers }, (_, at) =>
    at === 0 ? 'first' : at === props.board.layers - 1 ? 'last' : 'then',
  ),
)
const of = (line: { from: number; to: number }) => line.from === over.value || line.to === over.value
</script>

<template>
  <div ref="own" class="map" :style="{ minWidth: `${map.width}px`, minHeight: `${map.height}px` }">
    <span
      v-for="(head, at) in heads"
      :key="at"
      class="head slate"
      :style="{ left: `${at * map.step}px`, width: `${map.step}px` }"
      ><span>{{ head }}</span></span
    >
    <svg :width="map.width" :height="map.height" aria-hidden="true">
      <path
        v-for="line in lines"
        :key="line.key"
        :d="line.path"
        :class="{ lost: line.lost, later: line.later, of: of(line), dim: over !== null && !of(line) }"
      />
      <template v-for="line in lines" :key="line.key">
        <text v-if="line.lost || of(line)" :x="line.x" :y="line.y" :class="{ lost: line.lost }">{{ line.label }}</text>
      </template>
    </svg>
    <BoardCard
      v-for="card in board.cards"
      :key="card.import_id"
      :card="card"
      :kinds="board.kinds"
      :may-edit="mayEdit && !board.going_to"
      class="placed"
      :style="{
        left: `${map.at.get(card.import_id)!.x}px`,
        top: `${map.at.get(card.import_id)!.y}px`,
        width: `${CARD.width}px`,
        height: `${CARD.height}px`,
      }"
      @mouseenter="over = card.import_id"
      @mouseleave="over = null"
      @focusin="over = card.import_id"
      @focusout="over = null"
      @of="$emit('of', card.sheet_id!, $event)"
      @let-go="$emit('letGo', card.sheet_id!)"
      @take-out="$emit('takeOut', card.import_id)"
    />
  </div>
</template>

<style scoped>
.map {
  position: relative;
  flex: 1;
}
.head {
  position: absolute;
  top: 0;
  bottom: 0;
  padding: 8px 18px;
  border-right: 1px solid var(--rule-faint);
}
svg {
  position: absolute;
  top: 0;
  left: 0;
  pointer-events: none;
}
path {
  fill: none;
  stroke: var(--petrol);
  stroke-opacity: 0.6;
  stroke-width: 1.4;
}
path.lost {
  stroke: var(--brick);
  stroke-dasharray: 4 3;
  stroke-opacity: 1;
}
path.later {
  stroke-dasharray: 1 4;
}
path.of {
  stroke-opacity: 1;
  stroke-width: 2.2;
}
path.dim {
  stroke-opacity: 0.2;
}
text {
  fill: var(--slate-text);
  font-size: 0.75rem;
  text-anchor: middle;
  paint-order: stroke;
  stroke: var(--sheet);
  stroke-width: 4px;
}
text.lost {
  fill: var(--brick);
}
.placed {
  position: absolute;
}
</style>
