import { useReading } from "../app/server.js";
import "./pictures.css";

interface Props {
  readonly plan: string;
  readonly rowKey: string;
  readonly column?: string | undefined;
}

/** The pictures of a row as a model is shown them, beside what was read from them. */
export function Pictures({ plan, rowKey, column }: Props) {
  const { data } = useReading("showPictures", { plan, key: rowKey, column });
  return (
    <>
      {(data?.pictures ?? []).map(({ of, type, width, height, data: bytes }, index) => (
        <figure key={`${of} ${index}`} className="shown-picture">
          <img src={`data:${type};base64,${bytes}`} width={width} height={height} alt={`${of} of ${rowKey}, as it was sent`} />
          <figcaption className="fig quiet">
            {of}, {width} × {height}
          </figcaption>
        </figure>
      ))}
    </>
  );
}
