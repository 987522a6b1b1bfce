import { type ReactNode, useEffect, useRef } from "react";

/** A panel over the right of a move, with its name and a way out; Escape closes it. */
export function SidePanel({
  title,
  width,
  onClose,
  children,
}: {
  title: string;
  width: string;
  onClose: () => void;
  children: ReactNode;
}) {
  const panel = useRef<HTMLElement>(null);
  useEffect(() => {
    panel.current?.focus();
    const onKey = (event: KeyboardEvent) => event.key === "Escape" && onClose();
    addEventListener("keydown", onKey);
    return () => removeEventListener("keydown", onKey);
  }, [onClose]);
  return (
    <aside
      ref={panel}
      tabIndex={-1}
      aria-label={title}
      className={`absolute top-[52px] right-0 z-20 flex max-h-[calc(100%-52px)] flex-col border border-base-content bg-base-100 ${width}`}
    >
      <div className="flex h-10 shrink-0 items-center justify-between border-b border-base-300 px-4">
        <h2>{title}</h2>
        <button className="press h-[22px] px-2" onClick={onClose}>
          Close
        </button>
      </div>
      {children}
    </aside>
  );
}
