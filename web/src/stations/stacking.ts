import { useEffect, type RefObject } from "react";

/** The smallest share of their usual size to which a table's letters give way. */
const LEAST = 0.84;

/** A table that is wider than its place is drawn a little smaller; where that does not do, as on a narrow screen, it is told row by row,
 * each figure with its column's head. Nothing is to be scrolled sideways for. */
export function useStacking(holder: RefObject<HTMLElement | null>) {
  useEffect(() => {
    const tray = holder.current!;
    let asked = 0;
    const look = () => {
      asked = 0;
      for (const table of tray.querySelectorAll<HTMLTableElement>("table.table:not(.wide)")) stack(table, tray);
    };
    const ask = () => void (asked ||= requestAnimationFrame(look));
    const sized = new ResizeObserver(ask);
    sized.observe(tray);
    const changed = new MutationObserver(ask);
    changed.observe(tray, { childList: true, subtree: true, characterData: true });
    const rethemed = () => {
      // letters of another size: what each needs is measured anew
      for (const table of tray.querySelectorAll<HTMLTableElement>("table[data-needs]")) {
        table.classList.remove("stacked");
        table.style.zoom = "";
        delete table.dataset.needs;
      }
      ask();
    };
    window.addEventListener("kardo-theme", rethemed);
    ask();
    return () => {
      cancelAnimationFrame(asked);
      sized.disconnect();
      changed.disconnect();
      window.removeEventListener("kardo-theme", rethemed);
    };
  }, [holder]);
}

function stack(table: HTMLTableElement, tray: HTMLElement) {
  const { paddingLeft, paddingRight } = getComputedStyle(tray);
  const page = tray.clientWidth - parseFloat(paddingLeft) - parseFloat(paddingRight);
  const room = Math.min(table.parentElement!.clientWidth, page); // what holds it may have grown with it
  const known = Number(table.dataset.needs ?? 0);
  const grown = !table.classList.contains("stacked") && table.scrollWidth > Math.max(room, known) + 1;
  const needs = grown ? table.scrollWidth : known;
  if (!needs) return;
  table.dataset.needs = String(needs);
  const share = room / needs;
  table.classList.toggle("stacked", share < LEAST);
  table.style.zoom = share < LEAST || share >= 1 ? "" : String(share);
  if (share >= 1) delete table.dataset.needs;
  else if (share < LEAST) label(table);
}

function label(table: HTMLTableElement) {
  const heads = headsOf(table);
  for (const row of table.tBodies[0]?.rows ?? [])
    [...row.cells].forEach((cell, k) => {
      if (cell.dataset.head !== heads[k]) cell.dataset.head = heads[k] ?? "";
    });
}

/** The words over each column, of all rows of the head. */
function headsOf(table: HTMLTableElement): string[] {
  const heads: string[] = [];
  for (const row of table.tHead?.rows ?? []) {
    let k = 0;
    for (const cell of row.cells)
      for (let n = 0; n < cell.colSpan; n++, k++)
        heads[k] = [heads[k], cell.innerText.trim()].filter(Boolean).join(" ");
  }
  return heads;
}
