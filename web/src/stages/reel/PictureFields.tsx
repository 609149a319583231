import type { Picture, Production, Reel } from "../../api/client";
import { parsePosition } from "../../editor/position";
import { useEditor } from "../../editor/store";
import { duration } from "../../format";
import { timecodeIn } from "../../timeline/place";
import type { Acting } from "../../timeline/useDrag";
import { Button } from "../../ui/controls";
import { Field } from "./Field";

type Props = {
  production: Production;
  reel: Reel;
  picture: Picture;
  act: (what: string, ...actions: Acting[]) => void;
};

/** Everything about a picture that is chosen. */
export function PictureFields({ production: p, reel, picture: x, act }: Props) {
  const put = (what: string, part: Partial<Picture>) =>
    act(what, (now) => {
      const is = now.doc.pictures?.find((o) => o.id === x.id);
      return is && { set_pictures: { put: [{ ...is, ...part }] } };
    });
  const pointer = useEditor((s) => s.pointer);
  const within = pointer > x.at && pointer < x.at + x.length;
  const offset = (text: string, now: number) => parsePosition(text, now, p.sample_rate, p.rate, reel.worked_out.start);
  return (
    <>
      <span className="text-quiet">Picture</span>
      <span className="ticket max-w-60 truncate bg-raised px-2 py-0.5 text-ink" title={x.name}>
        {x.name}
      </span>
      <Field
        label="From"
        says="Where the picture begins: timecode, or an offset such as +1:00, -12f"
        value={timecodeIn(p, x.at)}
        wide="w-24"
        parse={(text) => offset(text, x.at)}
        save={(at) => at !== x.at && put(`move the picture ${x.name}`, { at })}
      />
      <span className="figures text-quiet">{duration(x.length, p.sample_rate)} s</span>
      <Field
        label="shows from"
        says="How far into the file it begins to show: frames or an offset such as +12f"
        value={timecodeIn(p, x.in)}
        wide="w-24"
        parse={(text) => {
          const to = offset(text, x.in);
          return to !== null && to >= 0 ? to : null;
        }}
        save={(to) => to !== x.in && put(`slip the picture ${x.name}`, { in: to })}
      />
      <Button
        disabled={!within}
        title="The picture begins at the pointer"
        onClick={() =>
          put(`trim the head of the picture ${x.name}`, {
            at: pointer,
            in: x.in + pointer - x.at,
            length: x.length - (pointer - x.at),
          })
        }
      >
        Trim head
      </Button>
      <Button
        disabled={!within}
        title="The picture ends at the pointer"
        onClick={() => put(`trim the tail of the picture ${x.name}`, { length: pointer - x.at })}
      >
        Trim tail
      </Button>
      <Button
        disabled={!within}
        onClick={() => act(`cut the picture ${x.name}`, { cut_picture: { at: pointer } })}
        title="Cut the picture in two at the pointer"
      >
        Cut
      </Button>
      <Button onClick={() => act(`take the picture ${x.name} out`, { set_pictures: { remove: [x.id] } })}>
        Take out
      </Button>
    </>
  );
}
