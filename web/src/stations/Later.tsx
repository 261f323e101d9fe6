import { Heading } from "../ui/Heading";

/** A station that is still to come. */
export function Later({ title, promise }: { title: string; promise: string }) {
  return (
    <>
      <Heading title={title} />
      <p>{promise}</p>
      <p className="mt-1 text-quiet">This station is not built yet. Nothing of your plan depends on it.</p>
    </>
  );
}
