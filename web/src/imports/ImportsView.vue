<script setup lang="ts">
import { BButton, BDropdown, BDropdownItem, BFormInput } from 'bootstrap-vue-next'
import { ref } from 'vue'
import { stations } from '@/help/guide'
import ImportTable from '@/imports/ImportTable.vue'
import NewImport from '@/imports/NewImport.vue'
import type { Listed } from '@/imports/states'
import { useArchived, useImports, useRemoveImport, useRenameImport, useTakeOutOfArchive } from '@/imports/useImports'
import MigrationList from '@/migration/MigrationList.vue'
import EmptyState from '@/parts/EmptyState.vue'
import { counted } from '@/parts/format'
import PageShell from '@/parts/PageShell.vue'
import ProblemNote from '@/parts/ProblemNote.vue'
import { useSession } from '@/session/useSession'
import { useSites } from '@/sites/useSites'

const { mayEdit, mayAdminister } = useSession()
const { data: imports, error, isPending } = useImports()
const { data: archived } = useArchived()
const { data: sites } = useSites()
const remove = useRemoveImport()
const takeOut = useTakeOutOfArchive()
const rename = useRenameImport()
const removing = ref<number | null>(null)
const renaming = ref<number | null>(null)
const name = ref('')
/** The import whose mapping and policy the next file gets. */
const like = ref<Listed | null>(null)

function askName(item: Listed) {
  name.value = item.name
  renaming.value = item.id
}
function giveName(id: number) {
  rename.mutate({ id, name: name.value.trim() })
  renaming.value = null
}
</script>

<template>
  <PageShell title="Imports">
    <ProblemNote :error="error" />
    <EmptyState v-if="sites && !sites.length" title="No site is connected">
      <p v-if="mayAdminister" class="slate">
        Connect the site that the records go to; it tells Datorum itself which fields it keeps.
      </p>
      <p v-else class="slate">Ask an administrator to connect the site that the records go to.</p>
      <RouterLink v-if="mayAdminister" class="btn btn-primary" to="/sites">Connect a site</RouterLink>
    </EmptyState>
    <template v-else>
      <NewImport v-if="mayEdit && sites" :key="like?.id" :sites="sites" :like="like" @alone="like = null" />
      <ProblemNote :error="remove.error.value ?? takeOut.error.value ?? rename.error.value" />
      <MigrationList :may-edit="mayEdit" />
      <h2 v-if="imports?.length" class="mt-4">Imports so far</h2>
      <ol v-else-if="!isPending" class="steps" aria-label="How it goes">
        <li v-for="[id, station, says] in stations" :key="id">
          <b>{{ station }}</b> <span class="slate">{{ says }}</span>
        </li>
      </ol>
      <ImportTable v-if="imports?.length" :imports="imports" label="Imports">
        <template v-if="mayEdit" #default="{ item }">
          <form v-if="renaming === item.id" class="renaming" @submit.prevent="giveName(item.id)">
            <BFormInput v-model="name" autofocus size="sm" maxlength="120" aria-label="Name" />
            <BButton type="submit" size="sm" variant="link" :disabled="!name.trim()">Rename</BButton>
            <BButton size="sm" variant="link" @click="renaming = null">Leave it</BButton>
          </form>
          <template v-else-if="removing === item.id">
            <span class="slate"
              >{{
                item.has_run
                  ? 'It has run, so it is put away and not deleted: all that it did stays known.'
                  : `${counted(item.rows, 'row')} and their mapping are deleted.`
              }}
            </span>
            <BButton variant="link" size="sm" @click="remove.mutate(item.id)">{{
              item.has_run ? 'Archive' : 'Delete'
            }}</BButton>
            <BButton variant="link" size="sm" class="ms-2" @click="removing = null">Leave it</BButton>
          </template>
          <BDropdown
            v-else
            variant="link"
            size="sm"
            no-caret
            text="⋯"
            end
            :toggle-attrs="{ 'aria-label': `What can be done with import ${item.id}` }"
          >
            <BDropdownItem @click="askName(item)">Rename</BDropdownItem>
            <BDropdownItem @click="like = item">Use its mapping for another file</BDropdownItem>
            <BDropdownItem @click="removing = item.id">{{ item.has_run ? 'Archive' : 'Delete' }}</BDropdownItem>
          </BDropdown>
        </template>
      </ImportTable>
      <details v-if="archived?.length" class="mt-4">
        <summary>{{ counted(archived.length, 'archived import') }}</summary>
        <ImportTable :imports="archived" label="Archived imports">
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
  </PageShell>
</template>

<style scoped>
.steps {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(300px, 1fr));
  gap: 10px 32px;
  margin: 28px 0 0;
  padding-left: 20px;
}
.renaming {
  display: flex;
  gap: 6px;
}
summary {
  color: var(--slate-text);
}
</style>
