import { createRouter, createWebHistory } from 'vue-router'

/** The address says all of what is looked at; pages are loaded when first visited. */
export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', redirect: '/sieves' },
    {
      path: '/instruments',
      name: 'instruments',
      meta: { stage: 'instruments' },
      component: () => import('@/features/instruments/InstrumentsPage.vue'),
    },
    {
      path: '/sieves',
      name: 'sieves',
      meta: { stage: 'sieves' },
      component: () => import('@/features/sieves/SievesPage.vue'),
    },
    {
      path: '/sieves/:id',
      name: 'sieve',
      meta: { stage: 'sieves' },
      component: () => import('@/features/sieves/SievePage.vue'),
    },
    {
      path: '/functions/:name?',
      name: 'functions',
      meta: { stage: 'sieves' },
      component: () => import('@/features/sieves/FunctionsPage.vue'),
    },
    {
      path: '/runs',
      name: 'runs',
      meta: { stage: 'runs' },
      component: () => import('@/features/runs/RunsPage.vue'),
    },
    {
      path: '/runs/:id',
      name: 'run',
      meta: { stage: 'runs' },
      component: () => import('@/features/runs/RunPage.vue'),
    },
    {
      path: '/runs/:id/review/:code?',
      name: 'review',
      meta: { stage: 'review' },
      component: () => import('@/features/review/ReviewPage.vue'),
    },
    {
      path: '/:rest(.*)',
      name: 'lost',
      meta: { stage: '' },
      component: () => import('./LostPage.vue'),
    },
  ],
})
