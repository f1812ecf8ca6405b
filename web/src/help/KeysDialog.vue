<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { keys, stations } from '@/help/guide'
import KeyList from '@/help/KeyList.vue'
import DialogBox from '@/parts/DialogBox.vue'
import { isTyping, useDialogs } from '@/workbench/useDialogs'
import type { Station } from '@/workbench/useImport'

/** The keys of the screen one is at, under `?` wherever one does not type. */
const route = useRoute()
const { shortcuts, openShortcuts } = useDialogs()
const station = computed<Station | undefined>(() => {
  const [, at, , name] = route.path.split('/')
  return at === 'imports' ? ((name || 'map') as Station) : undefined
})
const title = computed(() => {
  const found = stations.find(([name]) => name === station.value)
  return found ? `Keys at ${found[1]}` : 'Keys'
})

useEventListener(window, 'keydown', (event) => {
  if (event.key === '?' && !isTyping(event)) openShortcuts()
})
</script>

<template>
  <DialogBox v-if="shortcuts" v-model="shortcuts" :title="title">
    <KeyList :keys="keys[station ?? 'other']" />
    <p class="mt-3 mb-0"><RouterLink to="/help" @click="shortcuts = false">All keys, marks and words</RouterLink></p>
  </DialogBox>
</template>
