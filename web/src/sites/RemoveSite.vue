<script setup lang="ts">
import { BButton, BFormInput } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import type { Schemas } from '@/api/client'
import { counted } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'
import { useRemoveSite } from '@/sites/useSites'

/** Forgets a site; with imports that go to it, once their number is typed. */
const props = defineProps<{ page: Schemas['PageView'] }>()
const emit = defineEmits<{ leave: [] }>()
const router = useRouter()
const remove = useRemoveSite()
const typed = ref('')
const meant = computed(() => !props.page.imports || typed.value.trim() === String(props.page.imports))

function forget() {
  const { site, imports } = props.page
  remove.mutate({ id: site.id, imports: imports || null }, { onSuccess: () => router.push('/sites') })
}
</script>

<template>
  <form class="remove" @submit.prevent="forget">
    <p class="mb-2">
      Its sign-in, its snapshot, its corrections and the rules that were added to it are forgotten. The site itself
      stays as it is.
    </p>
    <template v-if="page.imports">
      <p class="mb-2">
        <StateMark state="held" /> {{ counted(page.imports, 'import') }} {{ page.imports === 1 ? 'goes' : 'go' }} to it,
        archived ones counted. They are removed with it, and all that is known of what they did there: what was sent,
        and what each record was before.
      </p>
      <label class="mb-2">
        Type the number of imports to remove them as well
        <BFormInput v-model="typed" inputmode="numeric" size="sm" required />
      </label>
    </template>
    <ProblemNote :error="remove.error.value" />
    <BButton type="submit" variant="outline-primary" size="sm" :disabled="remove.isPending.value || !meant"
      >Remove {{ page.site.name }}</BButton
    >
    <BButton variant="link" size="sm" class="ms-3" @click="emit('leave')">Leave it</BButton>
  </form>
</template>

<style scoped>
.remove {
  max-width: 560px;
}
.remove label {
  display: block;
  max-width: 340px;
}
</style>
