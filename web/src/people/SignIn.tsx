import { type FormEvent, useState } from "react";

import { Notice } from "../ui/Notice";
import { Wordmark } from "../ui/Tags";
import { useSignIn } from "./session";

/** Before anything else, where people have accounts. */
export function SignIn() {
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const signIn = useSignIn();
  function submit(event: FormEvent) {
    event.preventDefault();
    signIn.mutate({ name, password });
  }
  return (
    <main className="mx-auto flex min-h-screen w-[380px] flex-col justify-center pb-24">
      <Wordmark />
      <h1 className="mt-6">Sign in</h1>
      <p className="mt-1 text-soft">Your moves, and those that are shared with you.</p>
      <form className="mt-5 flex flex-col gap-3 border-t border-base-300 pt-5" onSubmit={submit}>
        <label className="block">
          <span className="block text-[12px] text-soft">Name</span>
          <input
            className="field w-full"
            autoComplete="username"
            autoFocus
            required
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
        </label>
        <label className="block">
          <span className="block text-[12px] text-soft">Password</span>
          <input
            className="field w-full"
            type="password"
            autoComplete="current-password"
            required
            value={password}
            onChange={(event) => setPassword(event.target.value)}
          />
        </label>
        <span className="mt-1">
          <button className="press" disabled={signIn.isPending}>
            Sign in
          </button>
        </span>
      </form>
      {signIn.error && (
        <div className="-mx-4">
          <Notice error={signIn.error} />
        </div>
      )}
    </main>
  );
}
