import { DropdownMenu } from "radix-ui";

import { STATE_ORDER } from "../../fit/Glyph";
import { useParts } from "../../state";
import { ofSameProp, ofState, onSameBearer, withWhatRestsOn } from "../../state/families";

/** Pick whole families, starting from what is selected. */
export function SelectMenu() {
  const { selected, pieces, fits, select } = useParts("selected", "pieces", "fits", "select");
  const entries: [string, () => string[]][] = selected.length
    ? [
        ["all copies of this prop", () => ofSameProp(selected, pieces)],
        ["all on the same bearer", () => onSameBearer(selected, pieces, fits)],
        ["what rests on it, too", () => withWhatRestsOn(selected, fits)],
      ]
    : [["everything loose", () => [...fits.keys()]]];
  for (const state of STATE_ORDER) {
    const found = ofState(state, fits);
    if (found.length) entries.push([`all ${state} (${found.length})`, () => found]);
  }
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="border-b-[1.5px] border-quiet text-[14px] hover:border-clay hover:text-clay-deep">
        Select…
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="start"
          sideOffset={4}
          className="z-20 min-w-44 rounded-sm border border-edge bg-card py-1 shadow-md"
        >
          {entries.map(([words, run]) => (
            <DropdownMenu.Item
              key={words}
              onSelect={() => select(run())}
              className="cursor-pointer px-3 py-1 outline-none data-[highlighted]:bg-wash"
            >
              {words}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
