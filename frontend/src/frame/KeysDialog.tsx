import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useLocation } from "react-router";
import { Button, Key } from "../ui/parts";

type Row = [keys: string[], does: string];

const EVERYWHERE: Row[] = [
  [["Ctrl K"], "do or find anything"],
  [["Ctrl E"], "reckon with rates, without a clip"],
  [["Ctrl Z"], "undo"],
  [["Ctrl Shift Z"], "redo"],
  [["?"], "show these keys"],
];

const PER_VIEW: Record<string, Row[]> = {
  plan: [
    [["↑", "↓"], "move to the clip above or below"],
    [["Shift ↑", "Shift ↓"], "select as you move"],
    [["Space"], "add the clip to the selection, or take it out"],
    [["Ctrl A"], "select all that the filter shows"],
    [["Esc"], "select nothing"],
    [["Home", "End"], "first or last clip"],
    [["a … z"], "jump to a name by typing it"],
    [["1"], "real time"],
    [["2"], "every frame"],
    [["3"], "pace …"],
    [["4"], "speed …"],
    [["5"], "fit to a length …"],
    [["6"], "leave as it is"],
    [["7"], "read at another rate …"],
    [["0"], "no decision"],
    [["Enter"], "look at the clip on the Bench"],
    [["/"], "find in the ledger"],
  ],
  bench: [
    [["←", "→"], "a frame back or on"],
    [["Shift ←", "Shift →"], "ten frames"],
    [["[", "]"], "a period of the pattern"],
    [["J", "K", "L"], "play back, stop, play on; again: faster"],
    [["Space"], "play or stop"],
    [["Home", "End"], "first or last frame"],
    [["D"], "next difference between the sides; with Shift, the one before"],
    [["G"], "next place where source frames are dropped"],
    [["R"], "next repeat"],
    [["H"], "next hiccup"],
    [["C"], "next cut"],
    [["I", "O"], "in or out point here"],
    [["A", "E"], "the stretch begins or ends here"],
    [["P"], "loop the stretch"],
    [["W"], "beside each other, wipe, difference, blink"],
    [["Z"], "zoom"],
    [["F"], "whole picture, upper field, lower field"],
    [["T"], "lay over what was mixed for lack of trust"],
    [["Q"], "draft or final"],
    [["B"], "strip and check of the other side"],
    [["U"], "check a stretch for frames that are not new"],
    [["Ctrl Enter"], "keep side B's treatment"],
  ],
  handoff: [
    [["Space"], "tick the clip in focus, or take the tick off"],
    [["Ctrl Enter"], "make the files"],
  ],
  intake: [
    [["↑", "↓"], "move to the clip above or below"],
    [["←", "→"], "the question before or after"],
    [["Space"], "add the clip to the selection, or take it out"],
    [["Ctrl A"], "select all that are shown"],
    [["Enter"], "confirm the verdict on this question"],
    [["+"], "confirm all that agrees"],
    [["="], "overrule"],
    [["Delete"], "leave it to the evidence"],
    [["a … z"], "jump to a name by typing it"],
    [["/"], "find clips"],
  ],
};

/** All keys for the current view. */
export function KeysDialog({ open, close }: { open: boolean; close: () => void }) {
  const view = useLocation().pathname.split("/")[3] ?? "";
  const rows = [...(PER_VIEW[view] ?? []), ...EVERYWHERE];
  return (
    <Dialog open={open} onClose={close} className="relative z-50">
      <div className="fixed inset-0 bg-black/30" aria-hidden />
      <div className="fixed inset-0 flex items-center justify-center p-6">
        <DialogPanel className="w-full max-w-md border border-hair bg-raised p-4 shadow-xl">
          <DialogTitle className="mb-3 text-[16px] font-semibold">Keys in this view</DialogTitle>
          <dl className="grid grid-cols-[9rem_1fr] gap-y-1.5">
            {rows.map(([keys, does]) => (
              <div key={does} className="contents">
                <dt className="flex gap-1">
                  {keys.map((key) => (
                    <Key key={key}>{key}</Key>
                  ))}
                </dt>
                <dd>{does}</dd>
              </div>
            ))}
          </dl>
          <div className="mt-4 text-right">
            <Button onClick={close}>Close the keys</Button>
          </div>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
