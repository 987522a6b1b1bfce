import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, got, type SheetLine } from "./client";

export const useSheets = () =>
  useQuery({ queryKey: ["sheets"], queryFn: () => got(api.GET("/api/sheets")), staleTime: Infinity });

export const useSheetInputs = (wanted: boolean) =>
  useQuery({
    queryKey: ["sheet inputs"],
    queryFn: () => got(api.GET("/api/sheet-inputs")),
    staleTime: Infinity,
    enabled: wanted,
  });
export const useComparison = (first: string, second: string) =>
  useQuery({
    queryKey: ["sheets", first, second],
    queryFn: () => got(api.GET("/api/sheets/compare", { params: { query: { first, second } } })),
  });

/** Everything that changes a sheet: afterwards the sheets are asked again, and every plan that follows one. */
function useSheetChange<Body, Answer>(act: (body: Body) => Promise<Answer>) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSuccess: async () => {
      await client.invalidateQueries({ queryKey: ["sheets"] });
      void client.invalidateQueries({ queryKey: ["move"] });
    },
  });
}

const sheet = (name: string) => ({ params: { path: { name: name.toLowerCase() } } });
export const useCopySheet = () =>
  useSheetChange(({ sheet: copied, name }: { sheet: string; name: string }) =>
    got(api.POST("/api/sheets/{name}/copy", { ...sheet(copied), body: { name } })),
  );
export const useImportSheet = () =>
  useSheetChange((text: string) => got(api.POST("/api/sheets/import", { body: { text } })));
export const useChangeSheet = (name: string) =>
  useSheetChange((lines: Record<string, SheetLine["value"]>) =>
    got(api.PATCH("/api/sheets/{name}", { ...sheet(name), body: { lines } })),
  );
export const useStepSheet = (name: string) =>
  useSheetChange((step: "undo" | "redo") =>
    step === "undo"
      ? got(api.POST("/api/sheets/{name}/undo", sheet(name)))
      : got(api.POST("/api/sheets/{name}/redo", sheet(name))),
  );
export const useDeleteSheet = () =>
  useSheetChange((name: string) => got(api.DELETE("/api/sheets/{name}", sheet(name))));
