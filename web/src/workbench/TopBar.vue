<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { useTheme } from '@/parts/useTheme'
import ProductMark from '@/parts/ProductMark.vue'
import { useSession } from '@/session/useSession'

const { session, signOut } = useSession()
const theme = useTheme()
</script>

<template>
  <header class="bar">
    <RouterLink to="/" class="home"><ProductMark /> <b>Datorum</b></RouterLink>
    <slot />
    <span class="space"></span>
    <slot name="end" />
    <RouterLink to="/" class="slate">Imports</RouterLink>
    <RouterLink to="/sites" class="slate">Sites</RouterLink>
    <RouterLink v-if="session?.role === 'administrator'" to="/audit" class="slate">Audit</RouterLink>
    <RouterLink to="/help" class="slate">Help</RouterLink>
    <BButton
      variant="link"
      class="slate"
      :aria-label="theme === 'dark' ? 'Light colours' : 'Dark colours'"
      @click="theme = theme === 'dark' ? 'light' : 'dark'"
      >{{ theme === 'dark' ? 'Light' : 'Dark' }}</BButton
    >
    <BButton variant="link" class="slate" :title="`Signed in as ${session?.name}, ${session?.role}`" @click="signOut"
      >Sign out</BButton
    >
  </header>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: 14px;
  min-height: 46px;
  padding: 0 18px;
  border-bottom: 1px solid var(--rule);
  white-space: nowrap;
}
.home {
  display: flex;
  align-items: center;
  gap: 12px;
  color: inherit;
}
.space {
  flex: 1;
}
@media (max-width: 999.98px) {
  .bar {
    flex-wrap: wrap;
    gap: 6px 14px;
    padding: 8px 12px;
    white-space: normal;
  }
}
</style>
