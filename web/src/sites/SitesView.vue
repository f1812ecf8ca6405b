<script setup lang="ts">
import { useRouter } from 'vue-router'
import PageShell from '@/parts/PageShell.vue'
import ProblemNote from '@/parts/ProblemNote.vue'
import { useSession } from '@/session/useSession'
import SiteEntry from '@/sites/SiteEntry.vue'
import SiteForm from '@/sites/SiteForm.vue'
import { useConnectSite, useSites, type SiteFields } from '@/sites/useSites'

const { mayAdminister } = useSession()
const { data: sites, error } = useSites()
const connect = useConnectSite()
const router = useRouter()

function submit(site: SiteFields) {
  connect.mutate(site, { onSuccess: (made) => router.push(`/sites/${made.id}`) })
}
</script>

<template>
  <PageShell title="Sites">
    <ProblemNote :error="error" />
    <p v-if="sites && !sites.length" class="slate">No site is connected yet.</p>
    <SiteEntry v-for="site in sites" :key="site.id" :site="site" />
    <section v-if="mayAdminister">
      <h2>Connect a site</h2>
      <p class="slate">
        A site describes itself in an OpenAPI document: which records it keeps, with which fields, and what it accepts.
        Connecting reads that, and tries to sign in; nothing on the site changes.
      </p>
      <SiteForm :error="connect.error.value" :busy="connect.isPending.value" @submit="submit" />
    </section>
    <p v-else class="slate">An administrator connects, edits and removes sites.</p>
  </PageShell>
</template>
