<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { BButton } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { answer, api } from '@/api/client'
import DialogBox from '@/parts/DialogBox.vue'
import PageWalk from '@/parts/PageWalk.vue'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'

/** The tree as the site would have it after the run: what comes, what changes, and what moves. */
const props = defineProps<{ id: number; planKey: string }>()
const open = ref(false)
const offset = ref(0)
const AT_ONCE = 200
const { data: tree, error } = useQuery({
  queryKey: ['rehearsal', computed(() => props.id), computed(() => props.planKey), 'tree', offset],
  queryFn: () =>
    answer(
      api.GET('/api/imports/{import_id}/rehearsal/tree', {
        params: { path: { import_id: props.id }, query: { offset: offset.value, count: AT_ONCE } },
      }),
    ),
  enabled: open,
  placeholderData: keepPreviousData,
})
const marks = { new: 'good', changed: 'changed', moved: 'changed', same: 'same' } as const
</script>

<template>
  <BButton variant="link" size="sm" class="p-0 mt-2" @click="open = true">Look at the tree after the run</BButton>
  <DialogBox v-if="open" v-model="open" title="The tree after the run" wide>
    <ol v-if="tree" class="tree">
      <li v-for="(node, at) in tree.nodes" :key="offset + at" :style="{ paddingLeft: `${node.deep * 20}px` }">
        <StateMark :state="marks[node.mark]" class="me-2" />
        <a v-if="node.page" :href="node.page" target="_blank" rel="noopener">{{ node.label }}</a>
        <span v-else>{{ node.label }}</span>
        <small v-if="node.mark !== 'same'" class="slate">{{
          node.mark === 'moved' ? `moved from below ${node.was_below}` : node.mark
        }}</small>
        <small v-if="node.lost" class="brick">what it stands below is not there</small>
      </li>
    </ol>
    <PageWalk v-if="tree" v-model="offset" :total="tree.total" :at-once="AT_ONCE" />
    <ProblemNote :error="error" />
  </DialogBox>
</template>

<style scoped>
.tree {
  max-height: 60vh;
  margin: 0;
  padding: 0;
  overflow: auto;
  list-style: none;
}
.tree li {
  padding-block: 2px;
  border-bottom: 1px solid var(--rule-faint);
}
.tree small {
  margin-left: 8px;
}
</style>
