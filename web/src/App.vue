<script setup lang="ts">
import { watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { away } from '@/api/away'
import KeysDialog from '@/help/KeysDialog.vue'
import StateMark from '@/parts/StateMark.vue'
import { useTheme } from '@/parts/useTheme'
import { session } from '@/session/session'

const router = useRouter()
const route = useRoute()
useTheme()

// A sign-in that ends, here or on the server, leads to the sign-in page and back again afterwards.
watch(session, (now, before) => {
  if (before && !now) router.replace({ path: '/sign-in', query: { to: route.fullPath } })
})
</script>

<template>
  <p v-if="away" class="away" role="status">
    <StateMark state="warned" /> Datorum does not answer just now. This page goes on by itself when it does; nothing on
    it is lost.
  </p>
  <RouterView />
  <KeysDialog v-if="session" />
</template>

<style scoped>
.away {
  position: fixed;
  z-index: 2000;
  bottom: 0;
  left: 0;
  right: 0;
  margin: 0;
  padding: 9px 24px;
  background: var(--sheet);
  border-top: 2px solid var(--marigold);
}
</style>
