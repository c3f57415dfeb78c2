// When somebody else was quicker: what they did is said, and one's own change is offered again.
import { useConfirm } from 'primevue/useconfirm';

import { ApiError } from '@/api/client';

/** The person has looked at what somebody else did, and left it at that: nothing more is to be said. */
export class LeftAsItIs extends Error {}

/** Ask whether one's own change is to be made all the same. */
export function useAskAgain() {
  const confirm = useConfirm();
  return (said: ApiError, what = ''): Promise<boolean> =>
    new Promise((answer) =>
      confirm.require({
        header: 'Somebody else was quicker',
        message: `${said.sentence}${what ? ` Your change: ${what}.` : ''}`,
        acceptProps: { label: 'Make my change all the same' },
        rejectProps: { label: 'Drop my change', severity: 'secondary' },
        defaultFocus: 'reject',
        accept: () => answer(true),
        reject: () => answer(false),
        onHide: () => answer(false),
      }),
    );
}

export function useOvertaken() {
  const again = useAskAgain();
  /** Send a change; when it was overtaken, `look` at what is there now, and send it again if the person still wants it. */
  return async <T>(send: () => Promise<T>, look: () => Promise<unknown>): Promise<T> => {
    for (;;) {
      try {
        return await send();
      } catch (error) {
        if (!(error instanceof ApiError && error.overtaken)) throw error;
        await look();
        if (!(await again(error))) throw new LeftAsItIs();
      }
    }
  };
}
