import { Dialog } from "radix-ui";
import type { ReactNode } from "react";

/** A dialog over the sheet; the way out of it, also by Escape, is onClose. */
export function Panel({
  open,
  onClose,
  title,
  children,
}: {
  open: boolean;
  onClose: () => void;
  title: string;
  children: ReactNode;
}) {
  return (
    <Dialog.Root open={open} onOpenChange={(o) => !o && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 bg-ink/40" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 max-h-[85vh] w-[min(640px,92vw)] -translate-1/2 overflow-y-auto border border-ink bg-sheet p-5"
        >
          <Dialog.Title className="text-lg font-bold">{title}</Dialog.Title>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
