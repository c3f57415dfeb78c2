// When somebody else was quicker: what they did is said, and one's own change is offered again.
import { useConfirm } from 'primevue/useconfirm';

import { ApiError } from '@/api/client';

/** The person has looked at what somebody else did, and left it at that: nothing more is to be said. */
export class LeftAsItIs extends Error {}

export function useOvertaken() {
  const confirm = useConfirm();
  const again = (said: ApiError): Promise<boolean> =>
    new Promise((answer) =>
      confirm.require({
        header: 'Somebody else was quicker',
        message: `${said.subject} ${said.problem} ${said.wayOut}`,
        acceptProps: { label: 'Make my change all the same' },
        rejectProps: { label: 'Leave it as it is', severity: 'secondary' },
        defaultFocus: 'reject',
        accept: () => answer(true),
        reject: () => answer(false),
        onHide: () => answer(false),
      }),
    );
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
