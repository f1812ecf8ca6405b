<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { ref } from 'vue'
import { useMigrations, useRemoveMigration } from '@/migration/useMigration'
import { counted, time } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import StateMark from '@/parts/StateMark.vue'

/** The migrations there are, each with its board. */
defineProps<{ mayEdit: boolean }>()
const { data: migrations, error } = useMigrations()
const remove = useRemoveMigration()
const removing = ref<number | null>(null)
</script>

<template>
  <ProblemNote :error="error ?? remove.error.value" />
  <template v-if="migrations?.length">
    <h2 class="mt-4">Migrations</h2>
    <ul class="migrations" aria-label="Migrations">
      <li v-for="one in migrations" :key="one.id">
        <RouterLink :to="`/migrations/${one.id}`"
          ><b>{{ one.name }}</b></RouterLink
        >
        <span class="slate">to {{ one.site }}</span>
        <span
          >{{ counted(one.imports, 'import')
          }}<template v-if="one.undecided"
            >, <StateMark state="warned" /> {{ counted(one.undecided, 'sheet') }} to be decided</template
          ></span
        >
        <span class="slate">by {{ one.created_by }}, {{ time(one.created_at) }}</span>
        <span v-if="removing === one.id">
          <span class="slate">Its imports stay, each by itself. </span>
          <BButton variant="link" size="sm" @click="remove.mutate(one.id)">Take the board away</BButton>
          <BButton variant="link" size="sm" class="ms-2" @click="removing = null">Leave it</BButton>
        </span>
        <BButton
          v-else-if="mayEdit"
          variant="link"
          size="sm"
          :aria-label="`Take the board of ${one.name} away`"
          @click="removing = one.id"
          >×</BButton
        >
      </li>
    </ul>
  </template>
</template>

<style scoped>
.migrations {
  margin: 0;
  padding: 0;
  list-style: none;
}
.migrations li {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(150px, 1fr));
  align-items: center;
  gap: 12px;
  padding: 6px 0;
  border-bottom: 1px solid var(--rule-faint);
}
</style>
