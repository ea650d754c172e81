import { createPinia } from 'pinia'
import { createApp } from 'vue'
import App from './App.vue'
import { router } from './router'
import { useNotices } from './stores/notices'
import './style.css'

const app = createApp(App).use(createPinia()).use(router)
// Whatever nobody expected is said in one place.
app.config.errorHandler = (error) => useNotices().unexpected(error)
window.addEventListener('unhandledrejection', (event) => useNotices().unexpected(event.reason))
app.mount('#app')
