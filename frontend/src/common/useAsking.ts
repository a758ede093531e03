import { useConfirm } from 'primevue/useconfirm'

/** Ask before something is done that no key undoes; `act` is what the button says. */
export function useAsking() {
  const confirm = useConfirm()
  return (header: string, message: string, act: string, accept: () => unknown) =>
    confirm.require({ header, message, acceptLabel: act, rejectLabel: 'Leave it', rejectProps: { severity: 'secondary' }, accept })
}
