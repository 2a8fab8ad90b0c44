import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api } from "../../data/client";
import { useAct } from "../../data/queries";
import { Button, fieldLook, Heading } from "../../ui/parts";

const STATES: Record<string, string> = { waiting: "○ being tried", answered: "✓ answered", failed: "✕ given up" };

/** The address that is called when a run of files, or a package, has come to its end: for pipelines. */
export function Hook({ showId }: { showId: number }) {
  const params = { params: { path: { show_id: showId } } };
  const hook = useQuery({
    queryKey: ["hook", showId],
    queryFn: () => answer(api.GET("/api/shows/{show_id}/hook", params)),
  }).data;
  const [typed, setTyped] = useState<string | null>(null);
  const set = useAct(
    (body: { address: string; renew: boolean }) => answer(api.PUT("/api/shows/{show_id}/hook", { ...params, body })),
    (made) => {
      setTyped(null);
      return made.title;
    },
  );
  const remove = useAct(
    () => answer(api.DELETE("/api/shows/{show_id}/hook", params)),
    (made) => {
      setTyped(null);
      return made.title;
    },
  );
  const tried = useAct(
    () => answer(api.POST("/api/shows/{show_id}/hook/try", params)),
    () => "A trial call is on its way.",
  );
  if (!hook) return null;
  const address = typed ?? hook.address;
  return (
    <>
      <Heading>Call when files are made</Heading>
      <div className="flex flex-wrap items-center gap-2 border-b border-hair px-3 py-2">
        <label htmlFor="hook">Address</label>
        <input
          id="hook"
          className={`${fieldLook} max-w-md flex-1 font-mono`}
          placeholder="https://pipeline.example/made"
          value={address}
          onChange={(event) => setTyped(event.target.value)}
          onKeyDown={(event) => event.key === "Enter" && address && set.mutate({ address, renew: false })}
        />
        <Button
          disabled={!address.trim() || address === hook.address}
          onClick={() => set.mutate({ address, renew: false })}
        >
          Set
        </Button>
        {hook.address && (
          <>
            <Button weight="quiet" onClick={() => tried.mutate(undefined)}>
              Try it
            </Button>
            <Button weight="quiet" onClick={() => remove.mutate(undefined)}>
              Remove
            </Button>
          </>
        )}
        <p className="w-full text-[12.5px] text-soft">
          Gets JSON by POST when all files of a run, or a package, are done; tried six times. Odd-Meter-Signature is the
          HMAC-SHA-256 of Odd-Meter-Time, a full stop, and the body.
        </p>
        {hook.secret && (
          <p className="flex w-full items-center gap-2 text-[12.5px] text-soft">
            Signed with <code className="font-mono break-all text-ink select-all">{hook.secret}</code>
            <Button
              weight="quiet"
              className="h-6! px-1!"
              onClick={() => set.mutate({ address: hook.address, renew: true })}
            >
              Another secret
            </Button>
          </p>
        )}
        {hook.calls.map((call) => (
          <p key={call.asked_at} className="w-full text-[12.5px] text-soft">
            {STATES[call.state]}: {call.event}
            {call.answer && `, ${call.answer}`}
            {call.attempts > 1 && `, tried ${call.attempts} times`}
          </p>
        ))}
      </div>
    </>
  );
}
