import vue from '@vitejs/plugin-vue'
import { fileURLToPath } from 'node:url'
import { defineConfig } from 'vite'

export default defineConfig({
  plugins: [vue()],
  resolve: { alias: { '@': fileURLToPath(new URL('./src', import.meta.url)) } },
  build: {
    outDir: '../src/zealous_sieve/web/static',
    emptyOutDir: true,
    chunkSizeWarningLimit: 900,
    rolldownOptions: {
      output: {
        codeSplitting: {
          groups: [
            { name: 'charts', priority: 1, test: /node_modules\/(echarts|zrender|vue-echarts)\// },
            { name: 'editor', test: /node_modules\/(@codemirror|@lezer)/ },
            { name: 'vue', priority: 2, test: /node_modules\/(vue|@vue|vue-router|pinia|@tanstack|@vueuse)\// },
          ],
        },
      },
    },
  },
  server: { proxy: { '^/(api|open)/': 'http://127.0.0.1:8437' } },
})
