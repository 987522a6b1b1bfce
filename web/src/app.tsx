import { lazy, Suspense } from "react";
import { Navigate, Route, Routes } from "react-router";

import { Desk } from "./desk/Desk";
import { useSession } from "./people/session";
import { SignIn } from "./people/SignIn";
import { MoveShell } from "./stops/MoveShell";
import { Notice, Waiting } from "./ui/Notice";

/** Each stop comes when it is gone to: three.js only where there is a view. */
const SheetsPage = lazy(async () => ({ default: (await import("./sheets/SheetsPage")).SheetsPage }));
const InventoryStop = lazy(async () => ({
  default: (await import("./stops/inventory/InventoryStop")).InventoryStop,
}));
const FitStop = lazy(async () => ({ default: (await import("./stops/fit/FitStop")).FitStop }));
const LightStop = lazy(async () => ({ default: (await import("./stops/light/LightStop")).LightStop }));
const ProofStop = lazy(async () => ({ default: (await import("./stops/proof/ProofStop")).ProofStop }));
const HandoverStop = lazy(async () => ({
  default: (await import("./stops/handover/HandoverStop")).HandoverStop,
}));
const RevisionPage = lazy(async () => ({
  default: (await import("./stops/revisions/RevisionPage")).RevisionPage,
}));

const KeysPage = lazy(async () => ({ default: (await import("./keys/KeysPage")).KeysPage }));

export function App() {
  const session = useSession();
  if (session.isPending) return null;
  if (session.error) return <Notice error={session.error} onRetry={() => void session.refetch()} />;
  if (session.data.accounts && session.data.person === null) return <SignIn />;
  return (
    <Suspense fallback={<Waiting text="Fetching the page…" />}>
      <Routes>
        <Route path="/" element={<Desk />} />
        <Route path="/sheets" element={<SheetsPage />} />
        <Route path="/sheets/:name" element={<SheetsPage />} />
        <Route path="/keys" element={<KeysPage />} />
        <Route path="/moves/:moveId" element={<MoveShell />}>
          <Route index element={<Navigate to="inventory" replace />} />
          <Route path="inventory" element={<InventoryStop />} />
          <Route path="fit" element={<FitStop />} />
          <Route path="light" element={<LightStop />} />
          <Route path="proof" element={<ProofStop />} />
          <Route path="handover" element={<HandoverStop />} />
          <Route path="revisions/:number" element={<RevisionPage />} />
        </Route>
        <Route path="*" element={<Navigate to="/" replace />} />
      </Routes>
    </Suspense>
  );
}
