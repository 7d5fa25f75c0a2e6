import { Dialog as Radix } from 'radix-ui';
import type { ReactNode } from 'react';

/** A question with several answers, over the sheet that asks it. */
export function Dialog({ title, onClose, children }: { title: string; onClose: () => void; children: ReactNode }) {
  return (
    <Radix.Root open onOpenChange={(open) => !open && onClose()}>
      <Radix.Portal>
        <Radix.Overlay className="fixed inset-0 bg-ink/25" />
        <Radix.Content
          aria-describedby={undefined}
          className="fixed top-[12%] left-1/2 w-[38rem] -translate-x-1/2 border border-ink bg-sheet p-5 shadow-xl"
        >
          <Radix.Title className="mb-2 truncate text-[16px] font-semibold">{title}</Radix.Title>
          {children}
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}
