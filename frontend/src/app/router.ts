import { createRouter, createWebHistory } from 'vue-router'
import { carryMoment } from '@/shared/asOf'
import { beginning } from '@/shared/beginning'
import { known, preferences } from '@/shared/preferences'
import { forgetSteps } from '@/shared/undo'
import { isOnTheWay, noteWay } from '@/shared/way'
import { noteOutdated } from './outdated'

/** The address says all of what is looked at; pages are loaded when first visited. */
export const router = createRouter({
  history: createWebHistory(),
  routes: [
    {
      path: '/',
      name: 'start',
      component: () => import('./LostPage.vue'),
      beforeEnter: async (to) => {
        await known()
        // Where one went on meanwhile, as with a file that was dropped, one is not called back.
        if (!isOnTheWay(to)) return false
        return beginning.value.instruments === 0 ? '/imports' : preferences.value.first_page
      },
    },
    {
      path: '/instruments',
      name: 'instruments',
      meta: { stage: 'instruments', title: 'Instruments' },
      component: () => import('@/features/instruments/InstrumentsPage.vue'),
    },
    {
      path: '/imports/:id(\\d+)?',
      name: 'imports',
      meta: { stage: 'instruments', title: 'Import' },
      component: () => import('@/features/imports/ImportsPage.vue'),
    },
    {
      path: '/instruments/:code',
      name: 'instrument',
      meta: { stage: 'instruments', title: 'Instrument' },
      component: () => import('@/features/instruments/InstrumentPage.vue'),
    },
    {
      path: '/board',
      name: 'board',
      meta: { stage: 'background', title: 'Board' },
      component: () => import('@/features/background/BoardPage.vue'),
    },
    {
      path: '/scatter',
      name: 'scatter',
      meta: { stage: 'background', title: 'Scatter' },
      component: () => import('@/features/scatter/ScatterPage.vue'),
    },
    {
      path: '/strength',
      name: 'strength',
      meta: { stage: 'background', title: 'Strength' },
      component: () => import('@/features/strength/StrengthPage.vue'),
    },
    {
      path: '/overview',
      name: 'overview',
      meta: { stage: 'background', title: 'Overview' },
      component: () => import('@/features/overview/OverviewPage.vue'),
    },
    {
      path: '/outlook',
      name: 'outlook',
      meta: { stage: 'background', title: 'Outlook' },
      component: () => import('@/features/outlook/OutlookPage.vue'),
    },
    {
      path: '/sieves',
      name: 'sieves',
      meta: { stage: 'sieves', title: 'Sieves' },
      component: () => import('@/features/sieves/SievesPage.vue'),
    },
    {
      path: '/sieves/:id(\\d+|new)',
      name: 'sieve',
      meta: { stage: 'sieves', title: 'Sieve' },
      component: () => import('@/features/sieves/SievePage.vue'),
    },
    {
      path: '/sieves/:id(\\d+|new)/evidence',
      name: 'evidence',
      meta: { stage: 'sieves', title: 'Evidence' },
      component: () => import('@/features/evidence/EvidencePage.vue'),
    },
    {
      path: '/functions/:name?',
      name: 'functions',
      meta: { stage: 'sieves', title: 'Functions' },
      component: () => import('@/features/sieves/FunctionsPage.vue'),
    },
    {
      path: '/formulas/:id?',
      name: 'formulas',
      meta: { stage: 'sieves', title: 'Formulas' },
      component: () => import('@/features/formulas/FormulasPage.vue'),
    },
    {
      path: '/runs',
      name: 'runs',
      meta: { stage: 'runs', title: 'Runs' },
      component: () => import('@/features/runs/RunsPage.vue'),
    },
    {
      path: '/runs/:id(\\d+)',
      name: 'run',
      meta: { stage: 'runs', title: 'Run' },
      component: () => import('@/features/runs/RunPage.vue'),
    },
    {
      path: '/runs/:id(\\d+)/hits/:hit(\\d+)?',
      name: 'review',
      meta: { stage: 'review', title: 'Review' },
      component: () => import('@/features/review/ReviewPage.vue'),
    },
    // Addresses of before hits had numbers.
    { path: '/runs/:id(\\d+)/review', redirect: { name: 'review' } },
    {
      path: '/runs/:id(\\d+)/review/:code',
      meta: { stage: 'review', title: 'Review' },
      component: () => import('@/features/review/ReviewPage.vue'),
    },
    {
      path: '/verdicts',
      name: 'verdicts',
      meta: { stage: 'review', title: 'Taken and watched' },
      component: () => import('@/features/review/VerdictsPage.vue'),
    },
    {
      path: '/settings',
      name: 'settings',
      meta: { stage: '', title: 'Settings' },
      component: () => import('@/features/settings/SettingsPage.vue'),
    },
    {
      path: '/scripts',
      name: 'scripts',
      meta: { stage: '', title: 'From a script' },
      component: () => import('@/features/scripts/ScriptsPage.vue'),
    },
    {
      path: '/:rest(.*)',
      name: 'lost',
      meta: { stage: '', title: 'No such page' },
      component: () => import('./LostPage.vue'),
    },
  ],
})
noteWay(router)
// Asked for at once and waited for by no page: what it begins with is set where it comes later.
void known()
router.afterEach((to, from) => {
  if (to.name !== from.name) forgetSteps()
})
carryMoment(router)
noteOutdated(router)
