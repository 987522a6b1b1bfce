import { useEffect } from "react";

import { DeskHeader } from "../ui/DeskHeader";
import { KeysList } from "./KeysList";

/** The page of keys. */
export function KeysPage() {
  useEffect(() => {
    document.title = "Keys · Trasloco";
  }, []);
  return (
    <div className="min-h-screen">
      <DeskHeader />
      <main className="max-w-[1080px] p-8">
        <h1>Keys</h1>
        <p className="mt-1 mb-5 max-w-xl text-soft">
          Everything can be done without a pointer: Tab leads from one thing to the next, Enter and Space
          press it. These keys are quicker. None of them acts while one types.
        </p>
        <KeysList />
      </main>
    </div>
  );
}
