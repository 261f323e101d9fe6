import { type FlightFigures, type Network, type Schemas, type SetUp } from "../../api/client";
import { usePlan } from "../../app/plan";
import { useSelection } from "../../app/workbench/selection";
import { fieldEdits } from "../../lib/edits";
import { length } from "../../lib/units";
import { Field, LengthField, NumberField, Select, TextField, unitName } from "../../ui/fields";
import { TakeOffSearch } from "../flight/TakeOffPlaces";
import { setUpName } from "../positioning";
import { ReferenceStations } from "./ReferenceStations";

type Settings = Schemas["Settings"];
type Link = NonNullable<SetUp["link"]>;
type Reach = Schemas["Reach"];

const KINDS = [
  { id: "", name: "not assessed" },
  { id: "wireless", name: "local wireless" },
  { id: "radio", name: "ground radio" },
  { id: "internet", name: "internet" },
];

/** How far corrections reach: the link of each base, what is typed into it, and which exposures are left without. */
export function CorrectionReach() {
  const { plan, summary } = usePlan();
  const bases = plan.setups.filter((s) =>
    plan.flights.some((f) => f.positioned_from.on === "setup" && f.positioned_from.setup === s.id),
  );
  return (
    <section data-testid="reach">
      {!bases.length && (
        <p className="text-quiet">
          No flight is positioned from a base: there is nothing that corrections have to reach.
        </p>
      )}
      {bases.map((setup) => (
        <LinkOf key={setup.id} setup={setup} />
      ))}
      {(summary?.flights ?? []).map(
        (flown) => flown.reach && <FlightReach key={flown.id} flown={flown} reach={flown.reach} />,
      )}
      {plan.correction_services.map((network) => (
        <ServiceSettings key={network.id} network={network} />
      ))}
      <ReferenceStations />
    </section>
  );
}

const NO_SETTINGS = { address: "", port: null, mount: "", user: "", format: "RTCM 3" };

/** What is typed where corrections are wanted, and the same on paper. */
function SettingsFields(props: {
  settings: Settings;
  radio?: boolean;
  print: string;
  onChange: (to: Partial<Settings>) => void;
}) {
  const { jobId } = usePlan();
  const { settings, radio, onChange } = props;
  const text = (label: string, key: "address" | "mount" | "user" | "format", width: string) => (
    <Field label={label}>
      {(id) => (
        <TextField
          id={id}
          width={width}
          optional
          value={settings[key] ?? ""}
          onCommit={(typed) => onChange({ [key]: typed })}
        />
      )}
    </Field>
  );
  return (
    <>
      {text(radio ? "Channel or frequency" : "Address", "address", "w-44")}
      {!radio && (
        <>
          <Field label="Port">
            {(id) => (
              <NumberField
                id={id}
                width="w-20"
                decimals={0}
                value={settings.port ?? 2101}
                onCommit={(port) => onChange({ port })}
              />
            )}
          </Field>
          {text("Mount point", "mount", "w-28")}
          {text("Name there", "user", "w-28")}
        </>
      )}
      {text("Format", "format", "w-24")}
      <a className="button text-sm" href={`/api/jobs/${jobId}/settings/${props.print}.pdf`}>
        print the card (PDF)
      </a>
      {!radio && (
        <p className="w-full text-sm text-quiet">The password is kept nowhere in Kardo and printed on nothing.</p>
      )}
    </>
  );
}

/** What is typed for a correction service that something rests on. */
function ServiceSettings({ network }: { network: Network }) {
  const { plan, edit } = usePlan();
  const settings = network.settings ?? null;
  const set = (next: Settings) => void edit(fieldEdits(plan, `correction_services/${network.id}`, { settings: next }));
  return (
    <div className="mt-2 flex flex-wrap items-end gap-x-4 gap-y-2" data-testid={`service-${network.id}`}>
      {settings ? (
        <fieldset className="flex flex-wrap items-end gap-2 border border-hairline px-2 pb-2">
          <legend className="px-1 text-sm font-bold">what is typed for {network.name}</legend>
          <SettingsFields
            settings={settings}
            print={`correction_services/${network.id}`}
            onChange={(to) => set({ ...settings, ...to })}
          />
        </fieldset>
      ) : (
        <button className="button text-sm" onClick={() => set(NO_SETTINGS)}>
          settings card of {network.name}
        </button>
      )}
    </div>
  );
}

function LinkOf({ setup }: { setup: SetUp }) {
  const { plan, catalogue, edit } = usePlan();
  const { unit } = plan.brief;
  const link = setup.link ?? null;
  const set = (next: Link | null) => void edit(fieldEdits(plan, `setups/${setup.id}`, { link: next }));
  const change = (to: Partial<Link>) => link && set({ ...link, ...to });
  const blank = { ...NO_SETTINGS, reach: null, aerial: 2 };
  return (
    <div className="flex flex-wrap items-end gap-x-4 gap-y-2">
      <Field label={`Corrections leave the ${setUpName(plan, setup.id)} by`}>
        {(id) => (
          <Select
            id={id}
            value={link?.kind ?? ""}
            options={KINDS}
            onChange={(kind) => {
              const wanted = kind;
              set(wanted ? { ...blank, ...link, kind: wanted, reach: null } : null);
            }}
          />
        )}
      </Field>
      {link && link.kind !== "internet" && (
        <>
          <Field label={`It reaches in free sight, ${unitName(unit)}`}>
            {(id) => (
              <LengthField
                id={id}
                width="w-24"
                unit={unit}
                decimals={0}
                value={link.reach ?? catalogue.usual_reach[link.kind] ?? null}
                quiet={link.reach == null}
                optional
                onCommit={(reach) => change({ reach })}
              />
            )}
          </Field>
          <Field label={`Aerial over the mark, ${unitName(unit)}`}>
            {(id) => (
              <LengthField
                id={id}
                width="w-20"
                unit={unit}
                decimals={1}
                value={link.aerial ?? null}
                onCommit={(v) => v !== null && change({ aerial: v })}
              />
            )}
          </Field>
        </>
      )}
      {link && (
        <fieldset
          className="flex flex-wrap items-end gap-2 border border-hairline px-2 pb-2"
          data-testid="settings-card"
        >
          <legend className="px-1 text-sm font-bold">what is typed for it</legend>
          <SettingsFields
            settings={link}
            radio={link.kind === "radio"}
            print={`setups/${setup.id}`}
            onChange={change}
          />
        </fieldset>
      )}
    </div>
  );
}

function FlightReach({ flown, reach }: { flown: FlightFigures; reach: Reach }) {
  const { plan, edit } = usePlan();
  const { setGoTo } = useSelection();
  const { unit } = plan.brief;
  const flight = plan.flights.find((f) => f.id === flown.id)!;
  const live = flight.corrections === "live";
  const away = `${length(reach.away, unit, 0)} ${unitName(unit)}`;
  return (
    <div className="mt-2 border-t border-hairline pt-2" data-testid={`reach-${flight.id}`}>
      <p>
        <strong>{flight.name}</strong>, flown from{" "}
        {reach.away >= 1 ? `where it takes off, ${away} from the base` : "beside the base"}:{" "}
        {reach.linked ? (
          <>
            corrections reach{" "}
            <span className={reach.out.length ? "font-bold text-decision-text" : "text-settled"}>
              {flown.exposures - reach.out.length} of {flown.exposures}
            </span>{" "}
            exposures.
          </>
        ) : (
          <span className="font-bold text-decision-text">no corrections come so far, or something stands between.</span>
        )}{" "}
        {reach.out.length > 0 &&
          (live
            ? "The others are float in the prediction."
            : "The others are saved by the log: the prediction counts them as fixed.")}
      </p>
      {flight.take_off && (
        <p className="mt-1 flex flex-wrap gap-2">
          <button className="button text-sm" onClick={() => setGoTo({ e: reach.take_off[0], n: reach.take_off[1] })}>
            show the take-off place
          </button>
          <button
            className="button text-sm"
            onClick={() => void edit(fieldEdits(plan, `flights/${flight.id}`, { take_off: null, take_off_moves: [] }))}
          >
            beside the base
          </button>
        </p>
      )}
      <TakeOffSearch flight={flight} />
    </div>
  );
}
