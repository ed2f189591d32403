import '@fontsource-variable/source-sans-3'
import 'element-plus/theme-chalk/dark/css-vars.css'
import './look/theme.css'
import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { createApp } from 'vue'
import App from './App.vue'
import { ProblemError } from './data/api'
import { router } from './router'

const queryClient = new QueryClient({
  defaultOptions: {
    queries: { retry: (n, error) => !(error instanceof ProblemError && error.status < 500) && n < 2 },
  },
})

// A login that has ended leads to the login page, and from there back.
queryClient.getQueryCache().subscribe((event) => {
  const error = event.query.state.error
  if (error instanceof ProblemError && error.status === 401 && router.currentRoute.value.meta.open !== true) {
    void router.replace({ name: 'login', query: { to: router.currentRoute.value.fullPath } })
  }
})

createApp(App).use(router).use(VueQueryPlugin, { queryClient }).mount('#app')
