<script setup lang="ts">
import { watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
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
  <RouterView />
</template>
