import { useSession, useSignOut } from "./session";

/** Who is signed in, with the way out; nothing on a computer of one person. */
export function Person() {
  const session = useSession();
  const signOut = useSignOut();
  if (!session.data?.person) return null;
  return (
    <span className="flex shrink-0 items-center gap-2">
      {session.data.admin && (
        <a href="/admin/" className="hover:underline">
          People
        </a>
      )}
      <span className="max-w-32 truncate text-soft">{session.data.person}</span>
      <button className="press h-[22px] px-2" onClick={() => signOut.mutate()}>
        Sign out
      </button>
    </span>
  );
}
