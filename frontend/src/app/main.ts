import '@fontsource-variable/atkinson-hyperlegible-mono'
import '@fontsource-variable/atkinson-hyperlegible-next'
import { VueQueryPlugin } from '@tanstack/vue-query'
import 'element-plus/theme-chalk/base.css'
import 'element-plus/theme-chalk/el-dialog.css'
import 'element-plus/theme-chalk/el-icon.css'
import 'element-plus/theme-chalk/el-input.css'
import 'element-plus/theme-chalk/el-overlay.css'
import 'element-plus/theme-chalk/el-progress.css'
import 'element-plus/theme-chalk/dark/css-vars.css'
import { createPinia } from 'pinia'
import { createApp } from 'vue'
import { ApiError } from '@/shared/api'
import App from './App.vue'
import { router } from './router'
import './look.css'

/** What the server has refused it refuses again; only silence is worth a second try. */
const retried = (count: number, error: Error) =>
  count < 1 && error instanceof ApiError && error.code === 'unreachable'

createApp(App)
  .use(createPinia())
  .use(router)
  .use(VueQueryPlugin, {
    queryClientConfig: {
      defaultOptions: {
        queries: { retry: retried, staleTime: 5_000, refetchOnWindowFocus: false },
      },
    },
  })
  .mount('#app')
