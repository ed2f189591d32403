import { createRouter, createWebHistory } from 'vue-router'

declare module 'vue-router' {
  interface RouteMeta {
    open?: boolean // needs no login
  }
}

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'calendar', component: () => import('./views/CalendarView.vue') },
    { path: '/feeds', name: 'feeds', component: () => import('./views/FeedsView.vue') },
    { path: '/publications', name: 'publications', component: () => import('./views/PublicationsView.vue') },
    { path: '/login', name: 'login', component: () => import('./views/LoginView.vue'), meta: { open: true } },
    { path: '/setup', name: 'setup', component: () => import('./views/SetupView.vue'), meta: { open: true } },
    { path: '/:rest(.*)*', redirect: '/' },
  ],
})
