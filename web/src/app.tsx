import { Navigate, Route, Routes } from "react-router";

import { Desk } from "./desk/Desk";
import { useSession } from "./people/session";
import { SignIn } from "./people/SignIn";
import { SheetsPage } from "./sheets/SheetsPage";
import { FitStop } from "./stops/fit/FitStop";
import { HandoverStop } from "./stops/handover/HandoverStop";
import { InventoryStop } from "./stops/inventory/InventoryStop";
import { LightStop } from "./stops/light/LightStop";
import { MoveShell } from "./stops/MoveShell";
import { ProofStop } from "./stops/proof/ProofStop";
import { Notice } from "./ui/Notice";

export function App() {
  const session = useSession();
  if (session.isPending) return null;
  if (session.error) return <Notice error={session.error} onRetry={() => void session.refetch()} />;
  if (session.data.accounts && session.data.person === null) return <SignIn />;
  return (
    <Routes>
      <Route path="/" element={<Desk />} />
      <Route path="/sheets" element={<SheetsPage />} />
      <Route path="/sheets/:name" element={<SheetsPage />} />
      <Route path="/moves/:moveId" element={<MoveShell />}>
        <Route index element={<Navigate to="inventory" replace />} />
        <Route path="inventory" element={<InventoryStop />} />
        <Route path="fit" element={<FitStop />} />
        <Route path="light" element={<LightStop />} />
        <Route path="proof" element={<ProofStop />} />
        <Route path="handover" element={<HandoverStop />} />
      </Route>
      <Route path="*" element={<Navigate to="/" replace />} />
    </Routes>
  );
}
