<script setup lang="ts">
import { BModal } from 'bootstrap-vue-next'

/** A dialog. What is first typed into is ready for it as soon as the dialog opens. */
defineProps<{ title: string; wide?: boolean }>()
const open = defineModel<boolean>({ required: true })
</script>

<template>
  <BModal
    v-model="open"
    :title="title"
    title-tag="h2"
    title-class="h2"
    :size="wide ? 'lg' : undefined"
    focus="input, textarea, .cm-content"
    no-animation
    no-footer
    scrollable
  >
    <slot />
  </BModal>
</template>
