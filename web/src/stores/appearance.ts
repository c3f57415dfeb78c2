import { defineStore } from 'pinia';
import { ref, watchEffect } from 'vue';

const KEY = 'fair-texel-sheet';

/** Day or evening sheet: the system's wish until somebody chooses. */
export const useAppearance = defineStore('appearance', () => {
  const stored = localStorage.getItem(KEY);
  const evening = ref(stored ? stored === 'evening' : matchMedia('(prefers-color-scheme: dark)').matches);
  watchEffect(() => document.documentElement.classList.toggle('evening', evening.value));

  function toggle(): void {
    evening.value = !evening.value;
    localStorage.setItem(KEY, evening.value ? 'evening' : 'day');
  }

  return { evening, toggle };
});
