import { useState } from "react";

import { type Schemas, ServerError, client, wanted } from "../api/client";

/** What was written into a field. */
function said(form: FormData, name: string): string {
  const value = form.get(name);
  return typeof value === "string" ? value : "";
}

export function SignIn({ onDone }: { onDone: () => void }) {
  const [problem, setProblem] = useState<string | null>(null);
  return (
    <main className="grid h-full place-items-center">
      <form
        className="w-80 rounded-sm border border-rule bg-card p-6"
        onSubmit={(e) => {
          e.preventDefault();
          const given = new FormData(e.currentTarget);
          const body = { username: said(given, "username"), password: said(given, "password") };
          wanted<Schemas["VisitorSchema"]>(client.POST("/api/sign-in", { body })).then(
            onDone,
            (error: ServerError) => setProblem(error.message),
          );
        }}
      >
        <h1 className="mb-4 flex items-center gap-2 text-xl font-semibold">
          <img src="/mark.svg" alt="" width={26} height={26} /> Brick Seat
        </h1>
        {(["username", "password"] as const).map((field) => (
          <label key={field} className="mb-3 block">
            {field === "username" ? "Name" : "Password"}
            <input
              name={field}
              required
              type={field === "password" ? "password" : "text"}
              autoComplete={field === "password" ? "current-password" : "username"}
              className="mt-0.5 block w-full border-b border-ink bg-transparent px-1 py-0.5 outline-none focus:border-clay"
            />
          </label>
        ))}
        {problem && (
          <p role="alert" className="mb-3 text-clay-deep">
            {problem}
          </p>
        )}
        <button
          type="submit"
          className="rounded-sm bg-clay px-4 py-1.5 font-semibold text-card hover:bg-clay-deep"
        >
          Sign in
        </button>
      </form>
    </main>
  );
}
