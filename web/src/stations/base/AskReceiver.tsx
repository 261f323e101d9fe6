import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { call, type Problem, type ReceiverHeard } from "../../api/client";
import { usePlan } from "../../app/plan";
import { Field, Select } from "../../ui/fields";
import { ProblemNote } from "../../ui/ProblemNote";
import { Remarks } from "../../ui/Remarks";
import { Sentence } from "../../ui/Sentence";
import { useDoing } from "../../ui/useDoing";
import { IntoBook, type Say } from "./OnAir";

const POINTS = [
  { id: "arp", name: "reference point (ARP)" },
  { id: "apc", name: "phase centre (APC)" },
  { id: "mark", name: "mark" },
];

/** What a receiver on the network says of its own position, held against this set-up. */
export function AskReceiver({ setup, say }: { setup: string; say?: Say }) {
  const { jobId } = usePlan();
  const receivers = useQuery<string[], Problem>({
    queryKey: ["receivers", jobId],
    queryFn: () => call<string[]>("GET", `/jobs/${jobId}/receivers`),
    staleTime: Infinity,
  });
  const [chosen, setChosen] = useState("");
  const [point, setPoint] = useState("arp");
  const [heard, setHeard] = useState<ReceiverHeard | null>(null);
  const { doing, problem, busy, clear } = useDoing();
  const receiver = chosen || receivers.data?.[0] || "";
  const listen = async () => {
    setHeard(null);
    await doing(async () =>
      setHeard(await call<ReceiverHeard>("POST", `/jobs/${jobId}/receivers/heard`, { receiver, setup, point })),
    );
  };
  if (!receivers.data?.length) return null;
  const fine = !!heard?.remarks.every((r) => r.severity === "note");
  return (
    <div className="mt-2 border border-hairline p-2" data-testid="receiver">
      <h3 className="font-bold">What the receiver says</h3>
      <p className="text-sm text-quiet">Its position as it puts it out (NMEA GGA, GST), held against this set-up.</p>
      <div className="flex flex-wrap items-end gap-2">
        <Field label="Receiver">
          {(id) => (
            <Select
              id={id}
              value={receiver}
              options={receivers.data.map((one) => ({ id: one, name: one }))}
              onChange={setChosen}
            />
          )}
        </Field>
        <Field label="Its position is of the">
          {(id) => <Select id={id} value={point} options={POINTS} onChange={setPoint} />}
        </Field>
        <button type="button" className="button" disabled={busy} onClick={() => void listen()}>
          ask it
        </button>
      </div>
      {busy && <p role="status">listening, 12 s at most…</p>}
      {problem && <ProblemNote problem={problem} onClose={clear} />}
      {heard && (
        <div role="status">
          <Sentence fine={fine}>{heard.told}</Sentence>
          <p className="text-sm">
            {heard.satellites ?? "–"} satellites used{heard.hdop != null && `, HDOP ${heard.hdop.toFixed(1)}`}.
          </p>
          <Remarks of={heard.remarks} />
          {say && (
            <IntoBook
              said={{ setup, by: "receiver", source: receiver, difference: heard.difference, words: heard.told }}
              say={say}
            />
          )}
        </div>
      )}
    </div>
  );
}
