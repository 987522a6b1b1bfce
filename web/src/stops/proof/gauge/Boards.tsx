import { type GaugeBoard, type GaugeFound, pictures } from "../../../api/client";
import { useGiveBoard, useTakeBoardAway } from "../../../api/gauge";
import { DropPicture } from "../../../ui/DropPicture";
import { Notice } from "../../../ui/Notice";

/** The boards: what to do with each, and the picture of it that came back. */
export function Boards({
  move,
  boards,
  found,
}: {
  move: number;
  boards: GaugeBoard[];
  found: GaugeFound | null;
}) {
  const lies = new Map(found?.boards.map((one) => [one.board, one]));
  const give = useGiveBoard(move);
  const away = useTakeBoardAway(move);
  return (
    <ol className="mt-3">
      {boards.map((board, at) => (
        <li key={board.key} aria-label={board.title} className="border-t border-base-300 py-3">
          <div className="flex items-baseline gap-2">
            <b className="flex-1">
              {at + 1}. {board.title}
            </b>
            {board.shown && (
              <button
                className="text-[12px] underline"
                aria-label={`Take the picture of ${board.title} away`}
                onClick={() => away.mutate(board.key)}
              >
                remove
              </button>
            )}
          </div>
          {board.shown ? (
            <figure className="mt-1 grid grid-cols-[168px_minmax(0,1fr)] items-end gap-2">
              <img
                src={pictures.blob(board.shown)}
                alt={`${board.name}, as it came back`}
                className="w-full bg-booth"
              />
              <figcaption className="text-[12px] break-words text-soft">
                {board.name}
                {board.read ? <Lies one={lies.get(board.key)} /> : ", not read yet"}
              </figcaption>
            </figure>
          ) : (
            <div className="mt-1">
              <DropPicture
                words="Drop its picture here, or choose it"
                testId={`board-${board.key}`}
                small
                onFile={(file) => file && give.mutate({ file, board: board.key })}
              />
            </div>
          )}
          <details className="mt-1 text-[12px]">
            <summary className="cursor-pointer text-soft">What to do</summary>
            <ol className="mt-1 list-decimal pl-5">
              {board.steps.map((step) => (
                <li key={step}>{step}</li>
              ))}
            </ol>
          </details>
        </li>
      ))}
      {(give.error ?? away.error) && <Notice error={give.error ?? away.error} />}
    </ol>
  );
}

/** How a board was found in its picture. */
function Lies({ one }: { one: GaugeFound["boards"][number] | undefined }) {
  return one ? (
    <span className="block">
      {one.marks} marks, {one.rms_px.toFixed(1)} px off
    </span>
  ) : null;
}
