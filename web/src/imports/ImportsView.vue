<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { ref } from 'vue'
import NewImport from '@/imports/NewImport.vue'
import { useImports, useRemoveImport, useSites } from '@/imports/useImports'
import EmptyState from '@/parts/EmptyState.vue'
import { counted, time } from '@/parts/format'
import ProblemNote from '@/parts/ProblemNote.vue'
import { useSession } from '@/session/useSession'
import TopBar from '@/workbench/TopBar.vue'

const { mayEdit, mayAdminister } = useSession()
const { data: imports, error, isPending } = useImports()
const { data: sites } = useSites()
const remove = useRemoveImport()
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
          <h2 v-if="imports?.length" class="mt-4">Imports so far</h2>
          <p v-else-if="!isPending && !mayEdit" class="slate">There is no import yet.</p>
          <table v-if="imports?.length" class="list">
            <thead>
              <tr>
                <th>No</th>
                <th>Records</th>
                <th>From</th>
                <th>To</th>
                <th class="num">Rows</th>
                <th>Begun</th>
                <th><span class="visually-hidden">Remove</span></th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="item in imports" :key="item.id">
                <td class="mono">{{ item.id }}</td>
                <td>
                  <RouterLink :to="`/imports/${item.id}/map`">{{ item.name }}</RouterLink>
                </td>
                <td class="mono">{{ item.filename }}</td>
                <td>{{ item.site }}</td>
                <td class="num mono">{{ item.rows.toLocaleString('en') }}</td>
                <td class="slate">{{ time(item.created_at) }}, {{ item.created_by }}</td>
                <td class="num">
                  <template v-if="removing === item.id">
                    <span class="slate"
                      >{{ counted(item.rows, 'row') }}, its mapping and findings go; the site keeps what it has.
                    </span>
                    <BButton variant="link" size="sm" @click="remove.mutate(item.id)">Remove</BButton>
                    <BButton variant="link" size="sm" class="ms-2" @click="removing = null">Keep</BButton>
                  </template>
                  <BButton
                    v-else-if="mayEdit"
                    variant="link"
                    size="sm"
                    :aria-label="`Remove import ${item.id}`"
                    @click="removing = item.id"
                    >Remove</BButton
                  >
                </td>
              </tr>
            </tbody>
          </table>
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
.list {
  width: 100%;
}
.list th {
  color: var(--slate-text);
  font-weight: 400;
  font-size: 0.78rem;
}
.list th,
.list td {
  padding: 6px 12px 6px 0;
  border-bottom: 1px solid var(--rule);
}
.list .num {
  text-align: right;
}
</style>
