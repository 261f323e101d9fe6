import { useMemo, useState, type ReactNode } from "react";
import type { Plan, Result } from "../../api/client";
import { empty, required } from "./context";

/** A prediction kept with the plan it belongs to. */
export interface Pin {
  name: string;
  plan: Plan;
  result: Result;
}

/** The pins with one more of this plan, or without it where it is pinned already. */
export function repinned(pins: Pin[], plan: Plan, result: Result | null): Pin[] {
  if (!result) return pins;
  if (pins.some((p) => p.result.hash === result.hash)) return pins.filter((p) => p.result.hash !== result.hash);
  const last = pins.at(-1)?.name ?? "pin 0";
  return [...pins.slice(-5), { name: `pin ${Number(last.slice(4)) + 1}`, plan, result }];
}

/** Predictions kept to compare. */
interface Pins {
  /** The newest last. */
  pins: Pin[];
  setPins: (value: Pin[]) => void;
  /** Whether a pin was asked for; it is set once the figures of the plan as it stands are there. */
  pinning: boolean;
  setPinning: (value: boolean) => void;
}

const Context = empty<Pins>();
export const usePins = required(Context, "usePins");

export function PinsProvider({ children }: { children: ReactNode }) {
  const [pins, setPins] = useState<Pin[]>([]);
  const [pinning, setPinning] = useState<boolean>(false);
  const value = useMemo(() => ({ pins, setPins, pinning, setPinning }), [pins, pinning]);
  return <Context.Provider value={value}>{children}</Context.Provider>;
}
