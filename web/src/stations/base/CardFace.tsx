import type { Card } from "../../api/client";

/** What is typed into which box, and the sum to read back. */
export function CardFace({ card }: { card: Card }) {
  return (
    <div className="w-full max-w-[450px] border-2 border-ink bg-sheet p-2" data-testid="card">
      <p className="font-bold">
        {card.name}: {card.point}
      </p>
      <p className="text-sm text-quiet">{card.frame}</p>
      <table className="mt-1 w-full">
        <thead className="sr-only">
          <tr>
            <th>box</th>
            <th>type</th>
            <th>sum of figures</th>
          </tr>
        </thead>
        <tbody>
          {card.boxes.map((box) => (
            <tr key={box.name} className="border-b border-hairline align-baseline">
              <td className="pr-2 text-sm">{box.name}</td>
              <td className="figures text-right text-lg font-semibold whitespace-nowrap">
                {box.shown} <span className="text-sm font-normal">{box.unit}</span>
              </td>
              <td className="figures w-10 text-right text-sm text-quiet" title="the sum of its figures">
                {box.figures}
              </td>
            </tr>
          ))}
          <tr>
            <td colSpan={2} className="text-sm text-quiet">
              read back: add the figures of every box; together
            </td>
            <td className="figures text-right font-semibold">{card.read_back}</td>
          </tr>
        </tbody>
      </table>
      <ul className="mt-1 list-disc pl-4 text-sm">
        {card.notes.map((note) => (
          <li key={note}>{note}</li>
        ))}
      </ul>
    </div>
  );
}
