import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query';
import { createPinia } from 'pinia';
import PrimeVue from 'primevue/config';
import ConfirmationService from 'primevue/confirmationservice';
import ToastService from 'primevue/toastservice';
import Tooltip from 'primevue/tooltip';
import { createApp } from 'vue';

import { isAway } from '@/api/client';
import App from './App.vue';
import { vTerm } from '@/lib/page/glossary';
import { vRove } from '@/lib/page/roving';
import { forgetAhead, vKeepScroll } from '@/lib/page/scroll';
import { router } from './router';
import { useAppearance } from '@/stores/appearance';
import './style.css';
import { Print } from './theme';

// Going on by a link makes a new step of history; back, forward and reload come to one that is known.
const push = router.push.bind(router);
router.push = (to) => {
  forgetAhead();
  return push(to);
};
const nonce = document.querySelector<HTMLMetaElement>('meta[property=csp-nonce]')?.nonce ?? '';
const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 2000,
      // A refusal stays a refusal; only a server that does not answer is asked again.
      retry: (count, error) => isAway(error) && count < 5,
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
  .directive('keep-scroll', vKeepScroll)
  .directive('rove', vRove)
  .directive('term', vTerm)
  .mount('#app');

useAppearance();
