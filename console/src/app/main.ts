import '@fontsource/roboto/400.css'
import '@fontsource/roboto/500.css'
import '@fontsource/roboto-mono/400.css'
import 'vuetify/styles'
import './style.css'
import { createApp } from 'vue'
import { createVuetify } from 'vuetify'
import { aliases, mdi } from 'vuetify/iconsets/mdi-svg'
import App from './App.vue'
import { router } from './router'

const dark = window.matchMedia('(prefers-color-scheme: dark)').matches

const vuetify = createVuetify({
  icons: { defaultSet: 'mdi', aliases, sets: { mdi } },
  defaults: {
    VCard: { variant: 'outlined', rounded: 'lg' },
    VTextField: { variant: 'outlined', density: 'compact' },
    VSelect: { variant: 'outlined', density: 'compact' },
    VAutocomplete: { variant: 'outlined', density: 'compact' },
    VTextarea: { variant: 'outlined', density: 'compact' },
    VBtn: { rounded: 'lg', class: 'text-none' },
  },
  theme: {
    defaultTheme: localStorage.getItem('theme') ?? (dark ? 'night' : 'day'),
    themes: {
      day: {
        dark: false,
        colors: {
          background: '#f6f4ef',
          surface: '#fffdf8',
          primary: '#205b66',
          secondary: '#9a5b1f',
          success: '#2c6e49',
          error: '#a4342b',
          warning: '#a66a00',
          info: '#1f5a8a',
        },
      },
      night: {
        dark: true,
        colors: {
          background: '#11191b',
          surface: '#182225',
          primary: '#7cc4cf',
          secondary: '#e0a86c',
          success: '#7fc79b',
          error: '#ef8f85',
          warning: '#e9b857',
          info: '#8ec3ea',
        },
      },
    },
  },
})

createApp(App).use(vuetify).use(router).mount('#app')
