import { AlertDialog } from 'radix-ui';
import type { ReactNode } from 'react';
import { Button } from './elements';

interface ConfirmProps {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  title: string;
  /** What follows from saying yes. */
  children: ReactNode;
  action: string;
  /** The way back. */
  back?: string;
  onConfirm: () => void;
}

/** Asks before something that cannot be undone. */
export function Confirm({ open, onOpenChange, title, children, action, back = 'Keep going', onConfirm }: ConfirmProps) {
  return (
    <AlertDialog.Root open={open} onOpenChange={onOpenChange}>
      <AlertDialog.Portal>
        <AlertDialog.Overlay className="fixed inset-0 bg-ink/25" />
        <AlertDialog.Content className="fixed top-1/3 left-1/2 w-[26rem] -translate-x-1/2 border border-ink bg-sheet p-5 shadow-xl">
          <AlertDialog.Title className="mb-2 text-[16px] font-semibold">{title}</AlertDialog.Title>
          <AlertDialog.Description className="mb-4 text-soft">{children}</AlertDialog.Description>
          <div className="flex justify-end gap-2">
            <AlertDialog.Cancel asChild>
              <Button reads>{back}</Button>
            </AlertDialog.Cancel>
            <AlertDialog.Action asChild>
              <Button main onClick={onConfirm}>
                {action}
              </Button>
            </AlertDialog.Action>
          </div>
        </AlertDialog.Content>
      </AlertDialog.Portal>
    </AlertDialog.Root>
  );
}
