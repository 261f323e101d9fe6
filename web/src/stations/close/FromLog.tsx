import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { call, upload, type Problem, type Schemas } from "../../api/client";
import { usePlan } from "../../app/plan";
import { Field } from "../../ui/fields";
import { FileInput } from "../../ui/FileInput";
import { ProblemNote } from "../../ui/ProblemNote";
import { useDoing } from "../../ui/useDoing";

type Final = Schemas["Final"];
type Processed = Schemas["ProcessedOut"];

const ASK_EVERY = 1500;

/** The base's own log, post-processed by a service against a reference network: its answer fills in the final coordinates. */
export function FromLog({ onFixed }: { onFixed: (final: Final, source: string) => void }) {
  const { jobId } = usePlan();
  const [handed, setHanded] = useState<Schemas["HandedIn"] | null>(null);
  const { doing, problem, clear } = useDoing();
  const path = `/jobs/${jobId}/close/processing`;
  const services = useQuery<string[], Problem>({
    queryKey: ["processing", jobId],
    queryFn: () => call("GET", path),
    staleTime: Infinity,
  });
  const told = useQuery<Processed, Problem>({
    queryKey: ["processing", jobId, handed?.id],
    queryFn: () => call("GET", `${path}/${handed!.id}?service=${encodeURIComponent(handed!.service)}`),
    enabled: !!handed,
    refetchInterval: (query) => (query.state.data?.state === "waiting" ? ASK_EVERY : false),
  });
  const taken = useRef("");
  useEffect(() => {
    const answer = told.data;
    if (!handed || taken.current === handed.id || answer?.state !== "done" || !answer.final) return;
    taken.current = handed.id;
    onFixed(answer.final, answer.source);
  }, [told.data, handed, onFixed]);
  const service = services.data?.[0];
  if (!service) return null;
  const send = async (file: File) => {
    setHanded(null);
    await doing(async () => {
      setHanded(await upload(path, { file, service }));
    });
  };
  return (
    <div className="mt-1" data-testid="from-log">
      <Field label={`The base’s raw log, to be post-processed by ${service}`}>
        {(id) => <FileInput id={id} onFile={(file) => void send(file)} />}
      </Field>
      {problem && <ProblemNote problem={problem} onClose={clear} />}
      {told.error && <ProblemNote problem={told.error} />}
      <p role="status" className="text-sm">
        {told.data?.state === "waiting" && "processing…"}
        {told.data?.state === "failed" && `It could not be processed: ${told.data.words}`}
        {told.data?.state === "done" && `Done: ${told.data.source}. Look at it before it is applied.`}
      </p>
    </div>
  );
}
