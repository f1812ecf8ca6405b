<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { ref } from 'vue'
import ImportTable from '@/imports/ImportTable.vue'
import NewImport from '@/imports/NewImport.vue'
import { useArchived, useImports, useRemoveImport, useSites, useTakeOutOfArchive } from '@/imports/useImports'
import EmptyState from '@/parts/EmptyState.vue'
import { counted } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import { useSession } from '@/session/useSession'
import TopBar from '@/workbench/TopBar.vue'

const { mayEdit, mayAdminister } = useSession()
const { data: imports, error, isPending } = useImports()
const { data: archived } = useArchived()
const { data: sites } = useSites()
const remove = useRemoveImport()
const takeOut = useTakeOutOfArchive()
const removing = ref<number | null>(null)
</script>

<template>
  <div class="shell">
    <TopBar><span class="slate">Imports</span></TopBar>
    <main class="scroll">
      <h1 class="visually-hidden">Imports</h1>
      <div class="page">
        <ProblemNote :error="error" />
        <EmptyState v-if="sites && !sites.length" title="No site is connected">
          <p v-if="mayAdminister" class="slate">
            Connect the site that the records go to; it tells Datorum itself which fields it keeps.
          </p>
          <p v-else class="slate">Ask an administrator to connect the site that the records go to.</p>
          <RouterLink v-if="mayAdminister" class="btn btn-primary" to="/sites">Connect a site</RouterLink>
        </EmptyState>
        <template v-else>
          <NewImport v-if="mayEdit && sites" :sites="sites" />
          <ProblemNote :error="remove.error.value ?? takeOut.error.value" />
          <h2 v-if="imports?.length" class="mt-4">Imports so far</h2>
          <p v-else-if="!isPending && !mayEdit" class="slate">There is no import yet.</p>
          <ImportTable v-if="imports?.length" :imports="imports">
            <template v-if="mayEdit" #default="{ item }">
              <template v-if="removing === item.id && item.has_run">
                <span class="slate">It has run, so it is put away and not deleted: all that it did stays known. </span>
                <BButton variant="link" size="sm" @click="remove.mutate(item.id)">Archive</BButton>
                <BButton variant="link" size="sm" class="ms-2" @click="removing = null">Leave it</BButton>
              </template>
              <template v-else-if="removing === item.id">
                <span class="slate">{{ counted(item.rows, 'row') }} and their mapping are deleted. </span>
                <BButton variant="link" size="sm" @click="remove.mutate(item.id)">Delete</BButton>
                <BButton variant="link" size="sm" class="ms-2" @click="removing = null">Leave it</BButton>
              </template>
              <BButton
                v-else
                variant="link"
                size="sm"
                :aria-label="`${item.has_run ? 'Archive' : 'Delete'} import ${item.id}`"
                @click="removing = item.id"
                >{{ item.has_run ? 'Archive' : 'Delete' }}</BButton
              >
            </template>
          </ImportTable>
          <details v-if="archived?.length" class="mt-4">
            <summary>{{ counted(archived.length, 'archived import') }}</summary>
            <ImportTable :imports="archived">
              <template v-if="mayEdit" #default="{ item }">
                <BButton
                  variant="link"
                  size="sm"
                  :aria-label="`Take import ${item.id} out of the archive`"
                  @click="takeOut.mutate(item.id)"
                  >Take out</BButton
                >
              </template>
            </ImportTable>
          </details>
        </template>
      </div>
    </main>
  </div>
</template>

<style scoped>
.shell {
  display: grid;
  grid-template-rows: 46px 1fr;
  height: 100%;
}
.scroll {
  overflow: auto;
}
summary {
  color: var(--slate-text);
}
</style>
