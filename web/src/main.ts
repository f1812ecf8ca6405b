import '@fontsource/atkinson-hyperlegible/400.css'
import '@fontsource/atkinson-hyperlegible/700.css'
import '@fontsource/atkinson-hyperlegible-mono/400.css'
import { VueQueryPlugin } from '@tanstack/vue-query'
import { createBootstrap } from 'bootstrap-vue-next/plugins/createBootstrap'
import { createApp } from 'vue'
import App from '@/App.vue'
import '@/look/look.scss'
import 'bootstrap-vue-next/dist/bootstrap-vue-next.css'
import { queries } from '@/api/queries'
import { router } from '@/router'

createApp(App).use(router).use(createBootstrap()).use(VueQueryPlugin, { queryClient: queries }).mount('#app')
