import { createRouter, createWebHistory } from 'vue-router'
import AuditPage from '@/audit/AuditPage.vue'
import HelpView from '@/help/HelpView.vue'
import NowhereView from '@/help/NowhereView.vue'
import ImportsView from '@/imports/ImportsView.vue'
import BoardView from '@/migration/BoardView.vue'
import { session } from '@/session/session'
import SignIn from '@/session/SignIn.vue'
import { loadSession } from '@/session/useSession'
import SitePage from '@/sites/SitePage.vue'
import LanguagesView from '@/sites/LanguagesView.vue'
import SitesView from '@/sites/SitesView.vue'
import Workbench from '@/workbench/Workbench.vue'

export const router = createRouter({
  history: createWebHistory(),
  scrollBehavior: (to) => (to.hash ? { el: to.hash } : undefined),
  routes: [
    { path: '/', component: ImportsView },
    { path: '/sites', component: SitesView },
    { path: '/sites/:id(\\d+)', component: SitePage, props: (route) => ({ id: Number(route.params.id) }) },
    {
      path: '/sites/:id(\\d+)/languages/:type',
      component: LanguagesView,
      props: (route) => ({ id: Number(route.params.id), type: String(route.params.type) }),
    },
    {
      path: '/migrations/:id(\\d+)',
      component: BoardView,
      props: (route) => ({ id: Number(route.params.id) }),
    },
    { path: '/audit', component: AuditPage },
    { path: '/help', component: HelpView },
    { path: '/sign-in', component: SignIn, meta: { open: true } },
    {
      path: '/imports/:id(\\d+)/:station(read|map|check|rehearse|run|verify)?',
      component: Workbench,
      props: (route) => ({ id: Number(route.params.id), station: route.params.station || 'map' }),
    },
    { path: '/:nowhere(.*)', component: NowhereView },
  ],
})

router.beforeEach(async (to) => {
  await loadSession()
  if (!to.meta.open && !session.value) return { path: '/sign-in', query: { to: to.fullPath } }
})
