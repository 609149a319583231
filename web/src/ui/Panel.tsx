import { Dialog } from "radix-ui";
import type { ReactNode } from "react";

type Props = {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  title: string;
  /** The title is read out and not shown. */
  quiet?: boolean;
  /** Width, height and inner layout. */
  className: string;
  children: ReactNode;
};

/** A panel over the page: takes the focus, gives it back, and is left with Escape. */
export function Panel({ open, onOpenChange, title, quiet, className, children }: Props) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/50" />
        <Dialog.Content
          aria-describedby={undefined}
          onInteractOutside={(e) => {
            // What went wrong is put away beside an open panel; it is gone by the time that this is asked.
            const pressed = e.detail.originalEvent.target as Element;
            if (!pressed.isConnected || pressed.closest("[data-notes]")) e.preventDefault();
          }}
          className={`fixed top-20 left-1/2 z-50 max-h-[78vh] -translate-x-1/2 border border-line bg-panel shadow-2xl ${className}`}
        >
          <Dialog.Title className={quiet ? "sr-only" : "p-4 text-large"}>{title}</Dialog.Title>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
