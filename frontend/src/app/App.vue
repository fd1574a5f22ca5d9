<script setup lang="ts">
import { ElConfigProvider } from 'element-plus'
import en from 'element-plus/es/locale/lang/en'
import { useMoments } from '@/shared/asOf'
import { shutOut } from '@/shared/session'
import '@/shared/theme'
import { useThread } from '@/shared/queries'
import DropAnywhere from './DropAnywhere.vue'
import KeyList from './KeyList.vue'
import NothingHere from './NothingHere.vue'
import Pages from './Pages.vue'
import Palette from './Palette.vue'
import Shelter from './Shelter.vue'
import ShutOut from './ShutOut.vue'
import { useStanding } from './standing'
import Thread from './Thread.vue'

useMoments()
useStanding()
const { data: counts } = useThread()
</script>

<template>
  <ElConfigProvider :locale="en">
    <ShutOut v-if="shutOut" />
    <Thread />
    <Pages v-if="$route.meta.stage === 'background'" />
    <NothingHere v-if="$route.meta.stage === 'background' && counts?.instruments === 0" />
    <Shelter v-else>
      <RouterView v-slot="{ Component }">
        <component :is="Component" />
      </RouterView>
    </Shelter>
    <DropAnywhere />
    <KeyList />
    <Palette />
  </ElConfigProvider>
</template>
