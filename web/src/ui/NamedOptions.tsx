/** Things with names as options of a list to choose from. */
export function NamedOptions({ of }: { of: readonly { id: string | number; name: string }[] }) {
  return of.map(({ id, name }) => (
    <option key={id} value={id}>
      {name}
    </option>
  ));
}
