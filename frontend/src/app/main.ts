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
import { Answers } from '@/shared/client'
import { known } from '@/shared/preferences'
import App from './App.vue'
import { router } from './router'
import './look.css'

void known()
createApp(App)
  .use(createPinia())
  .use(router)
  .use(VueQueryPlugin, { queryClient: new Answers() })
  .mount('#app')
