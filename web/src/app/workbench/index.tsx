import type { ReactNode } from "react";
import { NavigationProvider } from "./navigation";
import { OverlayProvider } from "./overlay";
import { PinsProvider } from "./pins";
import { SelectionProvider } from "./selection";

/** What is open, chosen and looked at beside the plan, each by itself: what looks at one is not drawn anew for another. */
export function WorkbenchProvider({ children }: { children: ReactNode }) {
  return (
    <NavigationProvider>
      <SelectionProvider>
        <OverlayProvider>
          <PinsProvider>{children}</PinsProvider>
        </OverlayProvider>
      </SelectionProvider>
    </NavigationProvider>
  );
}
