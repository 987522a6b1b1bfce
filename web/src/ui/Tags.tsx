/** Source as a paper tag pointing left, destination as an ink tag pointing right, a dashed way between. */
export function SourceTag({ children }: { children: string }) {
  return (
    <span
      title={children}
      className="inline-flex h-[22px] min-w-0 items-center bg-base-300 pr-2.5 pl-[18px] text-[12px] font-semibold text-base-content"
      style={{ clipPath: "polygon(10px 0, 100% 0, 100% 100%, 10px 100%, 0 50%)" }}
    >
      <span className="truncate">{children}</span>
    </span>
  );
}

export function DestinationTag({ children }: { children: string }) {
  return (
    <span
      title={children}
      className="inline-flex h-[22px] min-w-0 items-center bg-neutral pr-[18px] pl-2.5 text-[12px] font-semibold text-neutral-content"
      style={{ clipPath: "polygon(0 0, calc(100% - 10px) 0, 100% 50%, calc(100% - 10px) 100%, 0 100%)" }}
    >
      <span className="truncate">{children}</span>
    </span>
  );
}

export function Way() {
  return (
    <svg
      width="54"
      height="10"
      viewBox="0 0 54 10"
      aria-hidden="true"
      className="min-w-4 shrink-[1000] text-base-content"
    >
      <path d="M0 5h50M45 1l6 4-6 4" fill="none" stroke="currentColor" strokeDasharray="4 3" />
    </svg>
  );
}

export function Wordmark() {
  return (
    <span
      className="inline-flex items-baseline gap-0.5 text-[17px] font-bold"
      style={{ fontStretch: "120%" }}
    >
      Trasloco
      <span className="inline-block h-2 w-2 bg-primary" />
    </span>
  );
}
