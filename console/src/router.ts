import { createRouter, createWebHistory } from 'vue-router'
import { onSignedOut } from './api/client'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', component: () => import('./pages/OverviewPage.vue') },
    { path: '/sign-in', component: () => import('./pages/SignInPage.vue') },
    { path: '/map', component: () => import('./pages/MapPage.vue') },
    { path: '/devices', component: () => import('./pages/DevicesPage.vue') },
    { path: '/devices/:name', component: () => import('./pages/DevicePage.vue'), props: true },
    { path: '/services', component: () => import('./pages/ServicesPage.vue') },
    { path: '/services/:name', component: () => import('./pages/ServicePage.vue'), props: true },
    { path: '/order', component: () => import('./pages/NewOrderPage.vue') },
    { path: '/orders', component: () => import('./pages/OrdersPage.vue') },
    { path: '/orders/:id', component: () => import('./pages/OrderPage.vue'), props: true },
  ],
})

onSignedOut(() => {
  if (router.currentRoute.value.path !== '/sign-in') {
    router.push({ path: '/sign-in', query: { to: router.currentRoute.value.fullPath } })
  }
})
