<script setup lang="ts">
import { ElConfigProvider } from 'element-plus'
import en from 'element-plus/es/locale/lang/en'
import { useMoments } from '@/shared/asOf'
import '@/shared/theme'
import { useThread } from '@/shared/queries'
import DropAnywhere from './DropAnywhere.vue'
import KeyList from './KeyList.vue'
import NothingHere from './NothingHere.vue'
import Pages from './Pages.vue'
import Palette from './Palette.vue'
import Thread from './Thread.vue'

useMoments()
const { data: counts } = useThread()
</script>

<template>
  <ElConfigProvider :locale="en">
    <Thread />
    <Pages v-if="$route.meta.stage === 'background'" />
    <NothingHere v-if="$route.meta.stage === 'background' && counts?.instruments === 0" />
    <RouterView v-else v-slot="{ Component }">
      <component :is="Component" />
    </RouterView>
    <DropAnywhere />
    <KeyList />
    <Palette />
  </ElConfigProvider>
</template>
