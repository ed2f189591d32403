import { createRouter, createWebHistory } from 'vue-router'

declare module 'vue-router' {
  interface RouteMeta {
    open?: boolean // needs no login
    title?: string
  }
}

export const router = createRouter({
  history: createWebHistory(),
  scrollBehavior: (to, _from, saved) => saved ?? (to.hash ? { el: to.hash } : { top: 0 }),
  routes: [
    { path: '/', name: 'today', component: () => import('./views/TodayView.vue'), meta: { title: 'Today' } },
    { path: '/board', name: 'board', component: () => import('./views/BoardView.vue'), meta: { title: 'Board' } },
    {
      path: '/both-ways',
      name: 'matrix',
      component: () => import('./views/MatrixView.vue'),
      meta: { title: 'Both ways' },
    },
    {
      path: '/calendars/:id(\\d+)',
      name: 'calendar',
      component: () => import('./views/CalendarView.vue'),
      meta: { title: 'Calendar' },
    },
    {
      path: '/conflicts',
      name: 'conflicts',
      component: () => import('./views/ConflictsView.vue'),
      meta: { title: 'Conflicts' },
    },
    {
      path: '/conflicts/:id(\\d+)',
      name: 'conflict',
      component: () => import('./views/ConflictView.vue'),
      meta: { title: 'Conflict' },
    },
    {
      path: '/questions/:calendar(\\d+)/:one(\\d+)/:other(\\d+)',
      name: 'question',
      component: () => import('./views/QuestionView.vue'),
      meta: { title: 'One booking or two?' },
    },
    {
      path: '/forgotten',
      name: 'forgotten',
      component: () => import('./views/ForgottenView.vue'),
      meta: { title: 'Forgotten blocks' },
    },
    {
      path: '/holds',
      name: 'holds',
      component: () => import('./views/HoldsView.vue'),
      meta: { title: 'Entered by hand' },
    },
    {
      path: '/review',
      name: 'review',
      component: () => import('./views/ReviewView.vue'),
      meta: { title: 'To be looked at' },
    },
    {
      path: '/platforms/:id(\\d+)',
      name: 'platform',
      component: () => import('./views/PlatformView.vue'),
      meta: { title: 'Platform' },
    },
    { path: '/feeds', name: 'feeds', component: () => import('./views/FeedsView.vue'), meta: { title: 'Feeds' } },
    {
      path: '/feeds/:id(\\d+)',
      name: 'feed',
      component: () => import('./views/FeedView.vue'),
      meta: { title: 'Feed' },
    },
    {
      path: '/publications',
      name: 'publications',
      component: () => import('./views/PublicationsView.vue'),
      meta: { title: 'Give back' },
    },
    {
      path: '/publications/:id(\\d+)',
      name: 'publication',
      component: () => import('./views/PublicationView.vue'),
      meta: { title: 'A calendar given back' },
    },
    {
      path: '/both-ways/trips',
      name: 'trips',
      component: () => import('./views/TripsView.vue'),
      meta: { title: 'Round trips' },
    },
    { path: '/logins', name: 'logins', component: () => import('./views/LoginsView.vue'), meta: { title: 'Logins' } },
    {
      path: '/login',
      name: 'login',
      component: () => import('./views/LoginView.vue'),
      meta: { open: true, title: 'Log in' },
    },
    {
      path: '/setup',
      name: 'setup',
      component: () => import('./views/SetupView.vue'),
      meta: { open: true, title: 'Set up' },
    },
    { path: '/:rest(.*)*', redirect: '/' },
  ],
})

router.afterEach((to) => {
  document.title = to.meta.title ? `${to.meta.title} · Wharf` : 'Wharf'
})
