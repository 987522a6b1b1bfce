import type { Decision, Families as FamiliesData, Proposal } from "../../api/client";
import { pictures } from "../../api/client";
import { useDecide } from "../../api/hooks";
import { Notice } from "../../ui/Notice";
import { Lying } from "./Lying";

/** Images that no material reads: sets proposed for slots with the reason, each filling to be taken or not, and those nobody can be sure of. */
export function Families({
  move,
  families,
  onOpen,
}: {
  move: number;
  families: FamiliesData;
  onOpen: (material: string) => void;
}) {
  const decide = useDecide(move);
  const all = families.proposals.flatMap((proposal) =>
    proposal.fillings.flatMap((filling) => filling.decisions),
  );
  return (
    <section aria-label="Images that wait" className="flex min-w-0 flex-1 flex-col overflow-y-auto">
      <div className="flex items-start justify-between gap-4 px-[18px] pt-4 pb-3">
        <div>
          <h1>Images that wait</h1>
          <p className="text-soft">No material reads them yet. Told by their names and by what is in them.</p>
        </div>
        {families.proposals.length > 1 && (
          <button
            className="press press-main shrink-0"
            disabled={decide.isPending}
            onClick={() => decide.mutate(all)}
          >
            Fill all {families.proposals.length}
          </button>
        )}
      </div>
      {decide.error && <Notice error={decide.error} />}
      <div className="px-[18px] pb-6">
        {families.proposals.map((proposal) => (
          <SetForSlot
            key={`${proposal.material} ${proposal.set}`}
            move={move}
            proposal={proposal}
            onOpen={onOpen}
          />
        ))}
        <Lying move={move} families={families} />
        {families.proposals.length + families.unsure.length + families.unmatched.length === 0 && (
          <p className="text-soft">None: every image of the delivery is read by a material.</p>
        )}
      </div>
    </section>
  );
}

/** One set for one slot. */
export function SetForSlot({
  move,
  proposal,
  onOpen,
}: {
  move: number;
  proposal: Proposal;
  onOpen?: (material: string) => void;
}) {
  const decide = useDecide(move);
  const take = (decisions: Decision[]) => decide.mutate(decisions);
  return (
    <section
      className="mt-3 border-t border-base-300 pt-3"
      aria-label={`${proposal.set} for ${proposal.material_name}`}
    >
      <div className="flex items-start justify-between gap-3">
        <div className="min-w-0">
          <h2 className="truncate">
            {proposal.set} <span className="font-normal text-soft">for</span>{" "}
            {onOpen ? (
              <button className="hover:underline" onClick={() => onOpen(proposal.material)}>
                {proposal.material_name}
              </button>
            ) : (
              proposal.material_name
            )}
          </h2>
          <p className="text-soft">{proposal.reason}</p>
        </div>
        <button
          className="press shrink-0"
          disabled={decide.isPending}
          onClick={() => take(proposal.fillings.flatMap((filling) => filling.decisions))}
        >
          Fill {proposal.fillings.length === 1 ? "it" : `all ${proposal.fillings.length}`}
        </button>
      </div>
      {decide.error && <Notice error={decide.error} />}
      <ul className="mt-2">
        {proposal.fillings.map((filling) => (
          <li key={filling.input} className="flex items-center gap-2.5 border-t border-base-300 py-1.5">
            <img
              src={pictures.image(move, filling.image, 84, filling.channels)}
              alt=""
              loading="lazy"
              className="h-[42px] w-[42px] shrink-0 border border-base-300 bg-booth object-cover"
            />
            <span className="min-w-0 flex-1">
              <span className="block">
                <b>{filling.label}</b>{" "}
                <span className="font-mono text-[12px] text-soft">
                  {filling.file}
                  {filling.channels.length === 1 && ` · ${filling.channels.toUpperCase()}`}
                </span>
                {filling.inverted && <span className="text-[12px]"> · turned over</span>}
              </span>
              <span className="block text-[12px] text-soft">{filling.reason}</span>
            </span>
            <button
              className="press shrink-0"
              aria-label={`Fill ${filling.label} only`}
              disabled={decide.isPending}
              onClick={() => take(filling.decisions)}
            >
              Fill
            </button>
          </li>
        ))}
      </ul>
      {proposal.passed_over.length > 0 && (
        <p className="border-t border-base-300 py-1.5 text-[12px] text-soft">
          Passed over: {proposal.passed_over.map((one) => `${one.file} (${one.reason})`).join(", ")}.
        </p>
      )}
    </section>
  );
}
