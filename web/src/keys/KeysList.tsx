import { KEYS } from "./keys";

/** All keys, by where they work. */
export function KeysList() {
  return (
    <div className="columns-[260px] gap-8">
      {KEYS.map(({ where, keys }) => (
        <section key={where} className="mb-5 break-inside-avoid">
          <h3 className="mb-1">{where}</h3>
          <dl className="grid grid-cols-[96px_1fr] gap-x-3 gap-y-0.5">
            {keys.map(([key, does]) => (
              <div key={key} className="contents">
                <dt>
                  <kbd className="font-mono text-[12px]">{key}</kbd>
                </dt>
                <dd>{does}</dd>
              </div>
            ))}
          </dl>
        </section>
      ))}
    </div>
  );
}
