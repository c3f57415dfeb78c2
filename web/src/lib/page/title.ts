// Each page has a title of its own: what it shows, in which project.
import { watchEffect } from 'vue';

export function useTitle(parts: () => (string | undefined)[]): void {
  watchEffect(() => {
    document.title = [...parts().filter(Boolean), 'Fair Texel'].join(' · ');
  });
}
