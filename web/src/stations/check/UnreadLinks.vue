<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed, watch } from 'vue'
import { listed } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'
import { isReading, useReadSite, useSnapshot } from '@/sites/useSnapshot'

/** What a check could not look for, as the site's records have not been read; once they are, it is worth another. */
const props = defineProps<{ siteId: number; types: string[]; disabled: boolean }>()
const emit = defineEmits<{ read: [] }>()
const { data: snapshot } = useSnapshot(() => props.siteId)
const read = useReadSite()
const reading = computed(() => isReading(snapshot.value))
const named = computed(() => listed(props.types.map((one) => one.replaceAll('-', ' '))))
watch(reading, (now, before) => {
  if (before && !now) emit('read')
})
</script>

<template>
  <div class="unread">
    <p class="mb-1">
      <StateMark state="warned" /> The site’s {{ named }} have not been read: whether links find them is not known yet,
      and a rehearsal may hold more.
    </p>
    <BButton
      v-if="!disabled"
      size="sm"
      variant="outline-primary"
      :disabled="reading || read.isPending.value"
      @click="read.mutate({ site: siteId, types })"
      >{{ reading ? 'Reading' : 'Read' }} the site’s {{ named }}</BButton
    >
    <ProblemNote :error="read.error.value" class="mt-2" />
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
