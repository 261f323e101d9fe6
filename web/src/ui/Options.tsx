import type { Schemas } from "../api/client";

/** Several ways to read a file or a list, which lead to different places: nothing is taken before one is chosen. */
export function Options({ options, onChoose }: { options: Schemas["Option"][]; onChoose: (key: string) => void }) {
  if (!options.length) return null;
  return (
    <div role="group" aria-label="How it can be read" className="mt-1 border-l-4 border-decision px-2 py-1">
      <p className="font-bold">
        This can be read in {options.length} ways, which lead to different places. Which is meant?
      </p>
      {options.map((option) => (
        <button
          key={option.key}
          className="button my-0.5 block w-full text-left text-sm"
          onClick={() => onChoose(option.key)}
        >
          {option.words}
        </button>
      ))}
    </div>
  );
}
