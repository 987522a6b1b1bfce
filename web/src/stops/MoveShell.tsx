import { Suspense, useCallback, useEffect, useState } from "react";
import { Link, NavLink, Outlet, useLocation, useNavigate, useOutletContext, useParams } from "react-router";

import { type Move, Refused } from "../api/client";
import { isRunning, useCancelJob, useChangeMove, useMove, useRedo, useStartJob, useUndo } from "../api/hooks";
import { useSheets } from "../api/sheets";
import { KeysList } from "../keys/KeysList";
import { Person } from "../people/Person";
import { useSession } from "../people/session";
import { Sharing } from "../people/Sharing";
import { Notice, Waiting } from "../ui/Notice";
import { JobProgress, jobTitle, timeLeft } from "../ui/Progress";
import { SheetOptions } from "../ui/SheetOptions";
import { SidePanel } from "../ui/SidePanel";
import { DestinationTag, SourceTag, Way, Wordmark } from "../ui/Tags";
import { ThemeSwitch } from "../ui/ThemeSwitch";
import { DeskHeader } from "../ui/DeskHeader";
import { History } from "./History";

const STOPS = [
  ["inventory", "Inventory"],
  ["fit", "Fit"],
  ["light", "Light"],
  ["proof", "Proof"],
  ["handover", "Handover"],
] as const;

/** The move that a stop belongs to. */
export const useShownMove = () => useOutletContext<Move>();

export function MoveShell() {
  const id = Number(useParams().moveId);
  const move = useMove(id);
  const location = useLocation();
  const undo = useUndo(id);
  const redo = useRedo(id);
  const [history, setHistory] = useState(false);
  const [sharing, setSharing] = useState(false);
  const [keys, setKeys] = useState(false);
  const navigate = useNavigate();
  const closeKeys = useCallback(() => setKeys(false), []);
  const closeSharing = useCallback(() => setSharing(false), []);
  const closeHistory = useCallback(() => setHistory(false), []);
  const here = location.pathname.split("/")[3] ?? "inventory";

  useEffect(() => {
    function onKey(event: KeyboardEvent) {
      const typing = event.target instanceof HTMLElement && event.target.closest("input, textarea, select");
      if (typing || event.defaultPrevented) return;
      if (!(event.ctrlKey || event.metaKey || event.altKey)) {
        const stop = STOPS[Number(event.key) - 1];
        // In a list a figure looks for what begins with it.
        if (stop && !(event.target as HTMLElement).closest("[role=treegrid], [role=listbox]"))
          void navigate(stop[0]);
        else if (event.key === "?") setKeys((shown) => !shown);
        return;
      }
      const key = event.key.toLowerCase();
      if (key === "z" && !event.shiftKey) undo.mutate();
      else if (key === "y" || (key === "z" && event.shiftKey)) redo.mutate();
      else return;
      event.preventDefault();
    }
    addEventListener("keydown", onKey);
    return () => removeEventListener("keydown", onKey);
  }, [undo, redo, navigate]);

  useEffect(() => {
    if (move.data)
      document.title = `${move.data.name} · ${STOPS.find(([key]) => key === here)?.[1] ?? ""} · Trasloco`;
  }, [move.data, here]);

  if (move.isPending) return <Waiting text="Opening the move…" />;
  if (move.error || !move.data)
    return (
      <>
        <DeskHeader />
        <Notice error={move.error} onRetry={() => void move.refetch()} />
      </>
    );
  return (
    <div className="relative flex h-screen min-h-[560px] flex-col">
      {sharing && <Sharing move={id} may={move.data.may} onClose={closeSharing} />}
      {keys && (
        <SidePanel title="Keys" width="w-[640px]" onClose={closeKeys}>
          <div className="min-h-0 overflow-y-auto p-4">
            <KeysList />
          </div>
        </SidePanel>
      )}
      {history && <History move={id} onClose={closeHistory} />}
      <Header
        onHistory={() => {
          setHistory(!history);
          setSharing(false);
        }}
        onSharing={() => {
          setSharing(!sharing);
          setHistory(false);
        }}
        onKeys={() => setKeys(!keys)}
        fault={undo.error ?? redo.error}
        move={move.data}
        canUndo={move.data.can_undo && move.data.may !== "look"}
        canRedo={move.data.can_redo && move.data.may !== "look"}
        onUndo={() => undo.mutate()}
        onRedo={() => redo.mutate()}
      />
      <div className="flex min-h-0 flex-1">
        <Route move={move.data} here={here} />
        <div className="min-w-0 flex-1">
          {move.data.ready && !move.data.refusal ? (
            <Suspense fallback={<Waiting text="Fetching the page…" />}>
              <Outlet context={move.data} />
            </Suspense>
          ) : (
            <NotReady move={move.data} />
          )}
        </div>
      </div>
    </div>
  );
}

function Header({
  move,
  canUndo,
  canRedo,
  onUndo,
  onRedo,
  onHistory,
  onSharing,
  onKeys,
  fault: undoFault,
}: {
  move: Move;
  canUndo: boolean;
  canRedo: boolean;
  onUndo: () => void;
  onRedo: () => void;
  onHistory: () => void;
  onSharing: () => void;
  onKeys: () => void;
  fault: unknown;
}) {
  const session = useSession();
  const cancel = useCancelJob(move.id);
  const change = useChangeMove(move.id);
  const sheets = useSheets();
  const name = (key: string) => sheets.data?.find((sheet) => sheet.name.toLowerCase() === key)?.name ?? key;
  const fault =
    move.job?.refusal && ["refused", "stopped"].includes(move.job.state) && move.job.kind !== "receive"
      ? move.job
      : null;
  return (
    <header className="flex h-[52px] shrink-0 items-center gap-4 border-b border-base-300 bg-base-100 px-5">
      <Link to="/" aria-label="Trasloco, back to the desk">
        <Wordmark />
      </Link>
      <span className="min-w-0 truncate pl-1">
        <span className="font-semibold">{move.name}</span>{" "}
        <Link className="text-soft hover:underline" to={`revisions/${move.revision}`}>
          · revision {move.revision}
        </Link>
      </span>
      <span className="flex shrink-0 items-center gap-1.5 pl-4">
        <SheetChoice
          label="Source sheet"
          value={move.source}
          role="source"
          onChange={(source) => change.mutate({ source })}
        >
          <SourceTag>{name(move.source)}</SourceTag>
        </SheetChoice>
        <Way />
        <SheetChoice
          label="Destination sheet"
          value={move.destination}
          role="destination"
          onChange={(destination) => change.mutate({ destination })}
        >
          <DestinationTag>{name(move.destination)}</DestinationTag>
        </SheetChoice>
      </span>
      <span className="flex-1" />
      {fault && (
        <span
          role="alert"
          className="max-w-md truncate text-primary"
          title={`${fault.refusal!.what} ${fault.refusal!.remedy}`}
        >
          {jobTitle(fault)}: {fault.refusal!.what}
        </span>
      )}
      {undoFault instanceof Refused && (
        <span role="alert" className="max-w-md truncate text-primary" title={undoFault.remedy}>
          {undoFault.what}
        </span>
      )}
      {move.may === "look" && <span className="shrink-0 text-soft">You may look at this move.</span>}
      {move.job && isRunning(move.job) ? (
        <JobProgress job={move.job} onCancel={() => cancel.mutate(move.job!.id)} />
      ) : null}
      <span className="flex gap-1">
        <button className="press h-[22px] px-2" onClick={onUndo} disabled={!canUndo} title="Ctrl+Z">
          Undo
        </button>
        <button className="press h-[22px] px-2" onClick={onRedo} disabled={!canRedo} title="Ctrl+Shift+Z">
          Redo
        </button>
        <button className="press h-[22px] px-2" onClick={onHistory}>
          History
        </button>
        <button className="press h-[22px] px-2" onClick={onKeys} title="?">
          Keys
        </button>
        {session.data?.accounts && (
          <button className="press h-[22px] px-2" onClick={onSharing}>
            Share
          </button>
        )}
      </span>
      <Person />
      <ThemeSwitch />
    </header>
  );
}

/** A tag that is also a choice: the select lies invisibly over it, so keyboard and screen readers get a plain select. */
function SheetChoice({
  label,
  value,
  role,
  onChange,
  children,
}: {
  label: string;
  value: string;
  role: "source" | "destination";
  onChange: (value: string) => void;
  children: React.ReactNode;
}) {
  return (
    <span className="relative focus-within:outline-2 focus-within:outline-offset-2 focus-within:outline-primary">
      {children}
      <select
        aria-label={label}
        className="absolute inset-0 cursor-pointer opacity-0"
        value={value}
        onChange={(event) => onChange(event.target.value)}
      >
        <SheetOptions to={role} />
      </select>
    </span>
  );
}

function Route({ move, here }: { move: Move; here: string }) {
  const at = STOPS.findIndex(([key]) => key === here);
  return (
    <nav
      aria-label="Route"
      className="w-[150px] shrink-0 border-r border-base-300 bg-base-100 py-6 pl-[22px]"
    >
      <ol>
        {STOPS.map(([key, name], number) => (
          <li key={key} className="relative h-[75px]">
            {number < STOPS.length - 1 && (
              <span
                className={`absolute top-5 left-[9px] h-[55px] w-px ${number < at ? "bg-base-content" : "bg-base-300"}`}
              />
            )}
            <NavLink to={key} className="group flex gap-2" aria-current={number === at ? "step" : undefined}>
              <span
                className={`mt-0.5 grid h-5 w-5 shrink-0 place-items-center rounded-full border-2 ${number === at ? "border-primary" : number < at ? "border-base-content bg-base-content" : "border-base-300"}`}
              >
                {number === at && <span className="h-2.5 w-2.5 rounded-full bg-primary" />}
              </span>
              <span className="min-w-0">
                <span
                  className={`block text-[14px] group-hover:underline ${number === at ? "font-semibold text-primary" : number < at ? "font-semibold" : "text-soft"}`}
                >
                  {name}
                </span>
                <span className="tight block text-[12px] text-soft">{move.stops?.[key] ?? ""}</span>
              </span>
            </NavLink>
          </li>
        ))}
      </ol>
    </nav>
  );
}

function NotReady({ move }: { move: Move }) {
  const start = useStartJob(move.id);
  if (move.refusal)
    return (
      <Notice
        error={new Refused(move.refusal.what, move.refusal.where, move.refusal.remedy)}
        onRetry={() => start.mutate({ kind: "receive" })}
      />
    );
  if (move.job && isRunning(move.job)) {
    return (
      <div className="p-8" role="status">
        <h1>Reading the delivery</h1>
        <p className="mt-1 text-soft">
          {move.job.message || "waiting for the worker"} {timeLeft(move.job.seconds_left)}
        </p>
        <span className="mt-4 block h-1 w-80 bg-base-300">
          <span
            className="block h-1 bg-primary"
            style={{ width: `${Math.round(move.job.fraction * 100)}%` }}
          />
        </span>
      </div>
    );
  }
  const refusal = move.job?.refusal ?? {
    what: move.job?.state === "cancelled" ? "Reading was cancelled." : "The delivery was not read.",
    where: move.name,
    remedy: "Read it again.",
  };
  return (
    <Notice
      error={new Refused(refusal.what, refusal.where, refusal.remedy)}
      onRetry={() => start.mutate({ kind: "receive" })}
    />
  );
}
