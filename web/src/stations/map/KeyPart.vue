<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed } from 'vue'

/** What a field has to do with the match key, and what it may have to do with it. */
const props = defineProps<{
  path: string
  /** The fields that are the match key together, in order. */
  keys: string[]
  mayBeKey: boolean
  /** Whether it tells records apart beside another field. */
  mayBeInKey: boolean
  disabled: boolean
}>()
const emit = defineEmits<{ change: [string[]] }>()
const isKey = computed(() => props.keys.includes(props.path))
const others = computed(() => props.keys.length - 1)
</script>

<template>
  <p v-if="isKey" class="mb-0">
    <span class="slate">◆</span> Match key<template v-if="others">
      with {{ others === 1 ? 'another field' : `${others} others` }}</template
    >: tells that a row and a record are the same.
  </p>
  <template v-if="!disabled">
    <BButton
      v-if="isKey && others"
      variant="link"
      size="sm"
      @click="
        emit(
          'change',
          keys.filter((one) => one !== path),
        )
      "
      >Take it out of the match key</BButton
    >
    <template v-else-if="!isKey">
      <BButton v-if="mayBeKey" variant="link" size="sm" class="me-2" @click="emit('change', [path])"
        >Make it the match key</BButton
      >
      <BButton v-if="keys.length && mayBeInKey" variant="link" size="sm" @click="emit('change', [...keys, path])"
        >Add it to the match key</BButton
      >
    </template>
  </template>
</template>
