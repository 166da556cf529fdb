import { Dialog } from "radix-ui";
import { useState } from "react";

import { type Schemas, type ServerError, client, wanted } from "../api/client";

type Visitor = Schemas["VisitorSchema"];

/** What was written into a field. */
function said(form: FormData, name: string): string {
  const value = form.get(name);
  return typeof value === "string" ? value : "";
}

function Fields({ onDone }: { onDone: (visitor: Visitor) => void }) {
  const [problem, setProblem] = useState<string | null>(null);
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        const given = new FormData(e.currentTarget);
        const body = { username: said(given, "username"), password: said(given, "password") };
        wanted<Visitor>(client.POST("/api/sign-in", { body })).then(onDone, (error: ServerError) =>
          setProblem(error.message),
        );
      }}
    >
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
  );
}

export function SignIn({ onDone }: { onDone: () => void }) {
  return (
    <main className="grid h-full place-items-center">
      <div className="w-80 rounded-sm border border-rule bg-card p-6">
        <h1 className="mb-4 flex items-center gap-2 text-xl font-semibold">
          <img src="/mark.svg" alt="" width={26} height={26} /> Brick Seat
        </h1>
        <Fields onDone={onDone} />
      </div>
    </main>
  );
}

/** Over the page as it is: whoever signs in again goes on where they were. */
export function SignInAgain({ onDone }: { onDone: (visitor: Visitor) => void }) {
  return (
    <Dialog.Root open>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/25" />
        <Dialog.Content className="fixed top-1/2 left-1/2 z-40 w-96 max-w-[94vw] -translate-x-1/2 -translate-y-1/2 rounded-sm border border-edge bg-card p-6 shadow-lg">
          <Dialog.Title className="mb-1 text-lg font-semibold">Your session has ended</Dialog.Title>
          <Dialog.Description className="mb-4 text-quiet">
            The set is kept up to your last step. Sign in again, and go on where you were.
          </Dialog.Description>
          <Fields onDone={onDone} />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
