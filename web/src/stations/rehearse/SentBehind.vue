<script setup lang="ts">
import { counted } from '@/parts/format'
import type { Overview } from '@/workbench/useImport'

/** What is sent once records are there: what they mean of each other, and their files. */
defineProps<{ plan: NonNullable<Overview['rehearse']> }>()
</script>

<template>
  <p v-if="plan.put_right" class="slate small mt-2 mb-0">
    {{ counted(plan.put_right, 'record') }} mean each other, and are changed once more when all are there.
  </p>
  <p v-if="plan.handed_in" class="slate small mt-2 mb-0">
    {{ counted(plan.handed_in, 'file') }} {{ plan.handed_in === 1 ? 'is' : 'are' }} handed in, each behind its record.
  </p>
</template>
