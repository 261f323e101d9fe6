import { useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense } from "react";
import { useParams } from "react-router";
import { Jobs } from "./Jobs";
import { PlanProvider } from "./plan";
import { useSession } from "./session";
import { SignIn } from "./SignIn";
import { WorkbenchProvider } from "./workbench";

const Job = lazy(() => import("./Job"));
const Rules = lazy(() => import("./Rules").then((m) => ({ default: m.Rules })));

export function App({ page }: { page?: "rules" }) {
  const { jobId } = useParams();
  const client = useQueryClient();
  const session = useSession();
  if (!session.data) return session.error ? <p className="p-6">The server does not answer. Is it running?</p> : null;
  if (!session.data.signed_in) return <SignIn onDone={(s) => client.setQueryData(["session"], s)} />;
  if (page === "rules")
    return (
      <Suspense fallback={<p className="p-6">Opening the rules…</p>}>
        <Rules />
      </Suspense>
    );
  if (!jobId) return <Jobs session={session.data} />;
  return (
    <PlanProvider key={jobId} jobId={jobId} user={session.data.name}>
      <WorkbenchProvider>
        <Suspense fallback={<p className="p-6">Opening the sheet…</p>}>
          <Job session={session.data} />
        </Suspense>
      </WorkbenchProvider>
    </PlanProvider>
  );
}
