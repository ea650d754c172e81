import { createRouter, createWebHistory } from 'vue-router'
import { useSession } from './stores/session'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'sittings', component: () => import('./pages/Sittings.vue') },
    {
      path: '/sign-in',
      name: 'sign-in',
      component: () => import('./pages/SignIn.vue'),
      meta: { open: true },
    },
    {
      path: '/new-password/:who/:token',
      name: 'new-password',
      component: () => import('./pages/NewPassword.vue'),
      props: true,
      meta: { open: true },
    },
    { path: '/sittings/:id', name: 'sitting', component: () => import('./pages/Sitting.vue'), props: true },
    { path: '/sittings/:id/who', name: 'who', component: () => import('./pages/Who.vue'), props: true },
    {
      path: '/sittings/:id/table',
      name: 'table',
      component: () => import('./pages/LightTable.vue'),
      props: true,
    },
    {
      path: '/portraits/:id',
      name: 'workroom',
      component: () => import('./pages/Workroom.vue'),
      props: true,
    },
    {
      path: '/portraits/:id/page',
      name: 'readable-page',
      component: () => import('./pages/ReadablePage.vue'),
      props: true,
    },
    { path: '/presets', name: 'presets', component: () => import('./pages/Presets.vue') },
    {
      path: '/carry-overs/:id',
      name: 'carry-over',
      component: () => import('./pages/CarryOver.vue'),
      props: true,
    },
    { path: '/batches/:id', name: 'batch', component: () => import('./pages/Batch.vue'), props: true },
    { path: '/account', name: 'account', component: () => import('./pages/Account.vue') },
    {
      path: '/:rest(.*)',
      name: 'nowhere',
      component: () => import('./pages/Nowhere.vue'),
      meta: { open: true },
    },
  ],
})

router.beforeEach(async (to) => {
  const session = useSession()
  if (!session.known) await session.ask()
  if (!to.meta.open && !session.email) return { name: 'sign-in', query: { then: to.fullPath } }
  if (to.name === 'sign-in' && session.email) return { name: 'sittings' }
})
