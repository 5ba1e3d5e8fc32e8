import { createRouter, createWebHistory } from 'vue-router'
import { onSignedOut } from '../api/client'
import { forget, meet } from '../api/me'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', component: () => import('../features/monitoring/OverviewPage.vue') },
    { path: '/sign-in', component: () => import('./SignInPage.vue') },
    { path: '/map', component: () => import('../features/network/MapPage.vue') },
    { path: '/installation', component: () => import('../features/installation/InstallationPage.vue') },
    { path: '/devices', component: () => import('../features/devices/DevicesPage.vue') },
    { path: '/devices/:name', component: () => import('../features/devices/DevicePage.vue'), props: true },
    { path: '/services', component: () => import('../features/services/ServicesPage.vue') },
    { path: '/services/:name', component: () => import('../features/services/ServicePage.vue'), props: true },
    { path: '/order', component: () => import('../features/orders/NewOrderPage.vue') },
    { path: '/orders', component: () => import('../features/orders/OrdersPage.vue') },
    { path: '/orders/:id', component: () => import('../features/orders/OrderPage.vue'), props: true },
  ],
})

// What is offered follows from who is signed in.
router.beforeEach(async (to) => {
  if (to.path === '/sign-in') forget()
  else await meet()
})

onSignedOut(() => {
  forget()
  if (router.currentRoute.value.path !== '/sign-in') {
    router.push({ path: '/sign-in', query: { to: router.currentRoute.value.fullPath } })
  }
})
