<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed } from 'vue'
import { listed } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'
import type { useUnread } from '@/stations/check/useUnread'

/** What a check could not look for, as the site's records have not been read. */
const props = defineProps<{ types: string[]; disabled: boolean; unread: ReturnType<typeof useUnread> }>()
const named = computed(() => listed(props.types.map((one) => one.replaceAll('-', ' '))))
const reading = computed(() => props.unread.reading.value)
</script>

<template>
  <div class="unread">
    <p class="mb-1">
      <StateMark state="warned" /> The site’s {{ named }} have not been read: whether links find them is not known yet,
      and a rehearsal may hold more.
    </p>
    <BButton v-if="!disabled" size="sm" variant="outline-primary" :disabled="reading" @click="unread.ask()"
      >{{ reading ? 'Reading' : 'Read' }} the site’s {{ named }}</BButton
    >
    <ProblemNote :error="unread.error.value" class="mt-2" />
  </div>
</template>

<style scoped>
.unread {
  margin-bottom: 12px;
  padding: 8px 10px;
  border-left: 3px solid var(--marigold);
  background: color-mix(in srgb, var(--marigold) 8%, transparent);
}
</style>
