import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, type FromKept, got, type Kept, upload } from "./client";
import { useMoveChange } from "./changing";
import { of } from "./hooks";

/** A person's own shelf; it is the same in every move. */
export const useKept = () => useQuery({ queryKey: ["kept"], queryFn: () => got(api.GET("/api/kept")) });
function useKeptChange<Body, Answer>(act: (body: Body) => Promise<Answer>) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSuccess: () => client.invalidateQueries({ queryKey: ["kept"] }),
  });
}
export const useKeep = (id: number) =>
  useKeptChange((wanted: { material: string; name: string; variant_of?: number | null }) =>
    got(api.POST("/api/moves/{move_id}/keep", { ...of(id), body: wanted })),
  );
export const useBringKept = () =>
  useKeptChange((files: File[]) =>
    upload<Kept[]>(
      "/kept/bring",
      files.map((file) => ({ path: file.webkitRelativePath || file.name, file })),
      {},
      () => undefined,
    ),
  );
export const useRenameKept = () =>
  useKeptChange(({ id, name, variant_of }: Kept) =>
    got(api.PUT("/api/kept/{kept_id}", { params: { path: { kept_id: id } }, body: { name, variant_of } })),
  );
export const useTakeOffShelf = () =>
  useKeptChange(({ id }: Kept) =>
    got(api.DELETE("/api/kept/{kept_id}", { params: { path: { kept_id: id } } })),
  );
export const useBackOnShelf = () =>
  useKeptChange(({ id }: Kept) =>
    got(api.POST("/api/kept/{kept_id}/back", { params: { path: { kept_id: id } } })),
  );
export const useFromKept = (id: number) =>
  useMoveChange(id, (wanted: FromKept) =>
    got(api.POST("/api/moves/{move_id}/from-kept", { ...of(id), body: { on: [], faces: {}, ...wanted } })),
  );
