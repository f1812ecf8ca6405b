<script setup lang="ts">
import { BButton, BProgress } from 'bootstrap-vue-next'
import type { Schemas } from '@/api/client'
import EmptyState from '@/parts/EmptyState.vue'
import { counted, number, span } from '@/parts/format'

/** How far a check has come that a worker makes. */
defineProps<{ work: Schemas['CheckingState']; mayStop: boolean; stopping: boolean }>()
defineEmits<{ stop: [] }>()
</script>

<template>
  <EmptyState title="Checking the rows">
    <BProgress :max="work.total" :value="work.done" class="mb-2" />
    <p role="status">
      {{ number(work.done) }} of {{ counted(work.total, 'row')
      }}<template v-if="work.seconds_left != null">, {{ span(work.seconds_left) }} left</template>
    </p>
    <p class="slate">It goes on when this page is closed.</p>
    <BButton v-if="mayStop" variant="link" :disabled="stopping" @click="$emit('stop')">Stop</BButton>
  </EmptyState>
</template>
