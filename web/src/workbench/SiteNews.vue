<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'
import { useSession } from '@/session/useSession'
import { useGoOnWithLatest, useSiteNews } from '@/workbench/useSiteNews'

/** What the site has said otherwise of these records since, and the way to go on with it. */
const props = defineProps<{ overview: Schemas['Overview'] }>()
const { mayEdit } = useSession()
const { data: news, error } = useSiteNews(() => props.overview.id)
const goOn = useGoOnWithLatest(() => props.overview.id)
const all = ref(false)
const fed = computed(() => (news.value ?? []).filter((one) => one.fed).length)
const shown = computed(() => {
  const ordered = [...(news.value ?? [])].sort((a, b) => Number(b.fed) - Number(a.fed))
  return all.value ? ordered : ordered.slice(0, 4)
})
const more = computed(() => (news.value?.length ?? 0) - shown.value.length)
</script>

<template>
  <aside class="news" aria-label="What the site says otherwise">
    <p>
      <StateMark state="warned" />
      The site describes these records otherwise than this import takes them:
      <template v-for="(one, at) in shown" :key="one.field + one.what"
        >{{ at ? '; ' : '' }}<b v-if="one.fed">{{ one.title }}</b
        ><template v-else>{{ one.title }}</template> {{ one.what }}</template
      ><BButton v-if="more" variant="link" size="sm" class="more" @click="all = true">and {{ more }} more</BButton>.
      <template v-if="fed">What is fed here stands in bold.</template>
      Until you go on with it, all stays as it was.
    </p>
    <BButton v-if="mayEdit" size="sm" variant="outline-primary" :disabled="goOn.isPending.value" @click="goOn.mutate()"
      >Go on with it</BButton
    >
    <ProblemNote :error="error ?? goOn.error.value" />
  </aside>
</template>

<style scoped>
.news {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 16px;
  padding: 7px 18px;
  border-bottom: 1px solid var(--rule);
  border-left: 3px solid var(--marigold);
}
.news p {
  flex: 1 1 400px;
  margin: 0;
}
.more {
  padding: 0 0 0 6px;
}
</style>
