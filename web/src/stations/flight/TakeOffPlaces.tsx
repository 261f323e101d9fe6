import { useMutation } from "@tanstack/react-query";
import { call, type AirTime, type Edit, type Flight, type Problem, type TakeOffs } from "../../api/client";
import { usePlan } from "../../app/plan";
import { useSelection } from "../../app/workbench/selection";
import { fieldEdits } from "../../lib/edits";
import { LengthField, NumberField } from "../../ui/fields";
import { ProblemNote } from "../../ui/ProblemNote";
import { Remove } from "../../ui/Remove";

type Place = [number, number];
type Move = Flight["take_off_moves"][number];

/** Where it takes off, and from which sorties on from elsewhere: typed, put on the sheet, or sought. */
export function TakeOffPlaces({ flight, air }: { flight: Flight; air: AirTime | undefined }) {
  const { plan, edit } = usePlan();
  const path = `flights/${flight.id}`;
  const moves = flight.take_off_moves;
  const set = (change: Partial<Flight>) => void edit(fieldEdits(plan, path, change));
  const move = (k: number, change: Partial<Move>) =>
    set({ take_off_moves: moves.map((one, j) => (j === k ? { ...one, ...change } : one)) });
  const first = flight.take_off ?? air?.take_off;
  const last = moves.at(-1)?.place ?? first;
  const next = (moves.at(-1)?.from_sortie ?? 1) + 1;
  return (
    <>
      <div className="mt-1 flex flex-wrap items-center gap-2 text-sm">
        <span>take-off point</span>
        <PlaceFields
          of="Take-off"
          at={first}
          quiet={!flight.take_off}
          sheet={`take-off/${flight.id}`}
          onCommit={(take_off) => set({ take_off })}
        />
        {flight.take_off ? (
          <button className="button px-1 py-0" onClick={() => set({ take_off: null, take_off_moves: [] })}>
            not chosen yet
          </button>
        ) : (
          air && <span className="text-quiet">not chosen; taken as {air.starts}</span>
        )}
        {last && (air?.sorties.length ?? 0) >= next && (
          <button
            className="button px-1 py-0"
            onClick={() =>
              set({ take_off: first ?? last, take_off_moves: [...moves, { from_sortie: next, place: last }] })
            }
          >
            another from sortie {next}
          </button>
        )}
      </div>
      {moves.map((one, k) => (
        <div key={one.from_sortie} className="mt-1 flex flex-wrap items-center gap-2 text-sm">
          <label className="flex items-center gap-1">
            from sortie
            <NumberField
              label={`From sortie, place ${k + 2}`}
              value={one.from_sortie}
              decimals={0}
              width="w-12"
              onCommit={(from_sortie) => move(k, { from_sortie })}
            />
          </label>
          <PlaceFields
            of={`Take-off ${k + 2}`}
            at={one.place}
            sheet={`take-off/${flight.id}/${one.from_sortie}`}
            onCommit={(place) => move(k, { place })}
          />
          <Remove onClick={() => set({ take_off_moves: moves.filter((_, j) => j !== k) })}>
            remove take-off {k + 2}
          </Remove>
        </div>
      ))}
      <TakeOffSearch flight={flight} />
    </>
  );
}

interface PlaceProps {
  of: string;
  at: Place | undefined;
  quiet?: boolean;
  sheet: `take-off/${string}`;
  onCommit: (place: Place) => void;
}

function PlaceFields({ of, at, quiet, sheet, onCommit }: PlaceProps) {
  const { unit } = usePlan().plan.brief;
  const { placing, setPlacing } = useSelection();
  return (
    <>
      {(["E", "N"] as const).map((axis, k) => (
        <label key={axis} className="flex items-center gap-1">
          {axis}
          <LengthField
            label={`${of}, ${axis}`}
            value={at?.[k] ?? null}
            unit={unit}
            decimals={1}
            width="w-28"
            quiet={quiet}
            onCommit={(to) => to !== null && at && onCommit(k ? [at[0], to] : [to, at[1]])}
          />
        </label>
      ))}
      <button
        className="button px-1 py-0"
        aria-pressed={placing === sheet}
        onClick={() => setPlacing(placing === sheet ? null : sheet)}
      >
        on the sheet
      </button>
    </>
  );
}

/** Places by line of sight, corrections, access and clearance, of those tried: one for all sorties, and by sortie where that is better. */
export function TakeOffSearch({ flight }: { flight: Flight }) {
  const { jobId, edit } = usePlan();
  const search = useMutation<TakeOffs[], Problem>({
    mutationFn: () => call("GET", `/jobs/${jobId}/flight/take-off?flight=${flight.id}`),
  });
  const take = (edits: Edit[]) => {
    search.reset();
    void edit(edits);
  };
  return (
    <div className="mt-1 text-sm">
      <button className="button px-1 py-0" disabled={search.isPending} onClick={() => search.mutate()}>
        {search.isPending ? "looking…" : "find the best take-off point"}
      </button>
      {search.error && <ProblemNote problem={search.error} onClose={search.reset} />}
      {search.data && (
        <div role="status">
          {search.data.map((offer) => (
            <p key={offer.words} className="mt-1">
              {offer.words}.{" "}
              {offer.edits.length > 0 ? (
                <button className="button px-1 py-0" onClick={() => take(offer.edits)}>
                  {offer.places.length > 1 ? `use these ${offer.places.length} places` : "take off there"}
                </button>
              ) : (
                "That is where it takes off."
              )}
            </p>
          ))}
          <p className="text-quiet">Whether one may stand there has to be seen on site.</p>
        </div>
      )}
    </div>
  );
}
