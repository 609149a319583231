import { Command as Cmdk } from "cmdk";
import { keyLabel, listOf, named, ordered, useCommands, used } from "./commands";
import { Key } from "./controls";
import { Panel } from "./Panel";

/** Every action by its plain name. */
export function Palette({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  const lists = useCommands((s) => s.lists);
  return (
    <Panel open={open} onOpenChange={onOpenChange} title="Find an action" quiet className="w-[560px]">
      <Cmdk label="Find an action" filter={named}>
        <Cmdk.Input
          placeholder="What do you want to do?"
          className="h-11 w-full border-line border-b bg-transparent px-4 text-large outline-none"
        />
        <Cmdk.List className="max-h-96 overflow-auto p-2">
          <Cmdk.Empty className="p-4 text-quiet">No action has this name.</Cmdk.Empty>
          {ordered(lists).map(([where, list]) => (
            <Cmdk.Group
              key={where}
              heading={where}
              className="[&_[cmdk-group-heading]]:px-2 [&_[cmdk-group-heading]]:py-1 [&_[cmdk-group-heading]]:text-quiet [&_[cmdk-group-heading]]:text-small"
            >
              {list.map((c) => (
                <Cmdk.Item
                  key={c.id}
                  value={`${c.name} ${where}`}
                  onSelect={() => {
                    onOpenChange(false);
                    used(listOf(lists, c), c);
                    c.run();
                  }}
                  className="flex h-8 cursor-pointer items-center justify-between px-2 data-[selected=true]:bg-raised"
                >
                  {c.name}
                  {c.key && <Key>{keyLabel(c.key)}</Key>}
                </Cmdk.Item>
              ))}
            </Cmdk.Group>
          ))}
        </Cmdk.List>
      </Cmdk>
    </Panel>
  );
}

/** The keys that work here. */
export function KeysHelp({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  const lists = useCommands((s) => s.lists);
  return (
    <Panel open={open} onOpenChange={onOpenChange} title="Keys of this stage" className="flex w-[640px] flex-col">
      {/* It is scrolled by keys. */}
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls has to be reached by keys */}
      <section aria-label="Keys" tabIndex={0} className="min-h-0 columns-2 gap-8 overflow-auto px-4 pb-2">
        <section className="mb-4 break-inside-avoid">
          <h3 className="mb-1 text-quiet text-small">Listening</h3>
          <Row name="Hear strand 1 to 9, or 10, alone while held" keys="1 … 9 0" />
          <Row name="Keep hearing it (and again to stop)" keys="Shift 1 … 0" />
          <Row name="Step out, or stop listening" keys="Escape" />
        </section>
        {Object.entries(lists).map(([where, list]) => (
          <section key={where} className="mb-4 break-inside-avoid">
            <h3 className="mb-1 text-quiet text-small">{where}</h3>
            {list
              .filter((c) => c.key)
              .map((c) => (
                <Row key={c.id} name={c.name} keys={keyLabel(c.key ?? "")} />
              ))}
          </section>
        ))}
      </section>
    </Panel>
  );
}

function Row({ name, keys }: { name: string; keys: string }) {
  return (
    <p className="flex items-center justify-between gap-3 py-0.5">
      {name} <Key>{keys}</Key>
    </p>
  );
}
