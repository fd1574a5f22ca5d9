<script setup lang="ts">
import { ElConfigProvider } from 'element-plus'
import en from 'element-plus/es/locale/lang/en'
import { useMoments } from '@/shared/asOf'
import '@/shared/theme'
import KeyList from './KeyList.vue'
import Pages from './Pages.vue'
import Palette from './Palette.vue'
import Thread from './Thread.vue'

useMoments()
</script>

<template>
  <ElConfigProvider :locale="en">
    <Thread />
    <Pages v-if="$route.meta.stage === 'background'" />
    <RouterView v-slot="{ Component }">
      <component :is="Component" />
    </RouterView>
    <KeyList />
    <Palette />
  </ElConfigProvider>
</template>
