import { layoutSays, useLayouts } from "../../api/weave";

/** A layout by the name that people have for it. */
export function LayoutName({ name }: { name: string }) {
  const { data: all = [] } = useLayouts();
  return <span title={name}>{layoutSays(name, all)}</span>;
}
