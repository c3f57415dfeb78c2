// A plain question before what cannot be undone.
import { useConfirm } from 'primevue/useconfirm';

export function useAsk() {
  const confirm = useConfirm();
  /** Ask, and run `done` when the answer is yes. */
  return (question: string, detail: string, yes: string, done: () => void): void =>
    confirm.require({
      header: question,
      message: detail,
      acceptProps: { label: yes },
      rejectProps: { label: 'Keep it', severity: 'secondary' },
      defaultFocus: 'reject',
      accept: done,
    });
}
