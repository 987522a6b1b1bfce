import "@fontsource-variable/archivo/wdth.css";
import "@fontsource-variable/spline-sans-mono/index.css";
import "./theme.css";

import { QueryCache, QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";

import { Refused } from "./api/client";
import { App } from "./app";
import { applyTheme, rememberedTheme } from "./ui/theme";

applyTheme(rememberedTheme());
const client: QueryClient = new QueryClient({
  queryCache: new QueryCache({
    // Whose session ran out is asked to sign in again.
    onError: (error) => {
      if (error instanceof Refused && error.status === 401)
        void client.invalidateQueries({ queryKey: ["session"] });
    },
  }),
  defaultOptions: { queries: { retry: 1, staleTime: 2000 } },
});
createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <QueryClientProvider client={client}>
      <BrowserRouter>
        <App />
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
);
