import vue from '@vitejs/plugin-vue'
import { fileURLToPath } from 'node:url'
import { defineConfig } from 'vite'

export default defineConfig({
  plugins: [vue()],
  resolve: { alias: { '@': fileURLToPath(new URL('./src', import.meta.url)) } },
  css: { preprocessorOptions: { scss: { quietDeps: true, silenceDeprecations: ['import', 'if-function'] } } },
  build: { chunkSizeWarningLimit: 900 },
  server: { proxy: { '/api': 'http://127.0.0.1:8470' } },
})
