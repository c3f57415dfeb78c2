import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query';
import { createPinia } from 'pinia';
import PrimeVue from 'primevue/config';
import ConfirmationService from 'primevue/confirmationservice';
import ToastService from 'primevue/toastservice';
import Tooltip from 'primevue/tooltip';
import { createApp } from 'vue';

import { ApiError } from './api/client';
import App from './App.vue';
import { router } from './router';
import { useAppearance } from './stores/appearance';
import { useSession } from './stores/session';
import './style.css';
import { Print } from './theme';

const nonce = document.querySelector<HTMLMetaElement>('meta[property=csp-nonce]')?.nonce ?? '';
const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 2000,
      // A refusal stays a refusal; only a server that does not answer is asked again.
      retry: (count, error) => error instanceof ApiError && error.status === 0 && count < 5,
    },
  },
});

createApp(App)
  .use(createPinia())
  .use(router)
  .use(VueQueryPlugin, { queryClient: queries })
  .use(PrimeVue, { theme: { preset: Print, options: { darkModeSelector: '.evening' } }, csp: { nonce } })
  .use(ToastService)
  .use(ConfirmationService)
  .directive('tooltip', Tooltip)
  .mount('#app');

useAppearance();

// An answer that nobody is signed in, whatever page asked, leads to the door and back again.
queries.getQueryCache().subscribe((event) => {
  if (event.type !== 'updated' || event.action.type !== 'error') return;
  if (event.action.error instanceof ApiError && event.action.error.status === 401 && useSession().user) {
    useSession().user = null;
    void router.push({ name: 'sign-in', query: { to: router.currentRoute.value.fullPath } });
  }
});
