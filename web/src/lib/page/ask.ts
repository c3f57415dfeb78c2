// A plain question before what cannot be undone.
import { useConfirm } from 'primevue/useconfirm';

export function useAsk() {
  const confirm = useConfirm();
  /** Ask, and run `done` when the answer is yes. `no` says what happens otherwise. */
  return (question: string, detail: string, yes: string, done: () => void, no = 'Cancel'): void =>
    confirm.require({
      header: question,
      message: detail,
      acceptProps: { label: yes },
      rejectProps: { label: no, severity: 'secondary' },
      defaultFocus: 'reject',
      accept: done,
    });
}
