import { createRouter, createWebHistory } from 'vue-router'

import { useSession } from './common/useSession'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/sign-in', name: 'sign-in', component: () => import('./sign-in/SignInView.vue'), meta: { open: true } },
    { path: '/', name: 'board', component: () => import('./board/BoardView.vue') },
    { path: '/tickets/:number', name: 'ticket', component: () => import('./ticket/TicketView.vue'), props: true },
    { path: '/slips', name: 'slips', component: () => import('./slips/SlipsView.vue') },
    { path: '/first/:token', name: 'first', component: () => import('./first/FirstView.vue'), props: true, meta: { open: true } },
    { path: '/me', name: 'me', component: () => import('./me/MeView.vue') },
    { path: '/clients', name: 'clients', component: () => import('./clients/ClientsView.vue') },
    { path: '/ways', name: 'ways', component: () => import('./ways/WaysView.vue') },
    { path: '/bin', name: 'bin', component: () => import('./bin/BinView.vue') },
    { path: '/studio', name: 'studio', component: () => import('./studio/StudioView.vue') },
    { path: '/people', name: 'people', component: () => import('./people/PeopleView.vue') },
    { path: '/proofs/:token', name: 'proofs', component: () => import('./proofs/ProofsView.vue'), props: true, meta: { open: true } },
    { path: '/take/:token', name: 'take', component: () => import('./take/TakeView.vue'), props: true, meta: { open: true } },
    { path: '/bring/:token', name: 'bring', component: () => import('./bring/BringView.vue'), props: true, meta: { open: true } },
    { path: '/photos/:photo', name: 'bench', component: () => import('./bench/BenchView.vue'), props: true },
    { path: '/:rest(.*)', redirect: '/' },
  ],
})

router.beforeEach(async (to) => {
  if (to.meta.open) return true
  const { person, ask } = useSession()
  if (person.value === null) await ask()
  return person.value !== null || { name: 'sign-in', query: { to: to.fullPath } }
})
