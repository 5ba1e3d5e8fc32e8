import vue from '@vitejs/plugin-vue'
import vuetify from 'vite-plugin-vuetify'
import { defineConfig } from 'vitest/config'

export default defineConfig({
  plugins: [vue(), vuetify({ autoImport: true })],
  build: { outDir: 'target/classes/static', emptyOutDir: true, chunkSizeWarningLimit: 900, license: { fileName: 'licences.md' } },
  test: { environment: 'jsdom', server: { deps: { inline: ['vuetify'] } }, css: false },
})
