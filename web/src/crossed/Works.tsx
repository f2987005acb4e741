/** What works with what: each cell in words, from its runs, its findings or a person. */
import { Link } from "react-router";
import type { Crossing } from "../api/crossing";

export function Works(props: { study: number; crossing: Crossing }) {
  const { crossing } = props;
  return (
    <section className="mt-4">
      <h2 className="font-semibold">
        What works with what{" "}
        <Link className="plain font-normal" to={`/studies/${props.study}/works`}>
          with pictures
        </Link>
      </h2>
      <table className="mt-1 w-full">
        <thead>
          <tr className="text-left text-[12px] text-ink-2">
            <th aria-label={crossing.factor} />
            {crossing.columns.map((name) => (
              <th key={name} scope="col" className="font-normal">
                {name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {crossing.rows.map((name, row) => (
            <tr key={name} className="border-t border-line-2 align-baseline">
              <th scope="row" className="py-0.5 text-left">
                {name}
              </th>
              {crossing.columns.map((column, c) => {
                const cell = crossing.cells.find((one) => one.row === row && one.column === c);
                const good = cell?.state === "works";
                return (
                  <td key={column} className={`pr-2 leading-tight ${good ? "" : "text-ink-2"}`}>
                    {cell?.run ? (
                      <Link className="plain" to={`/runs/${cell.run}`}>
                        {cell.state}
                      </Link>
                    ) : (
                      cell?.state
                    )}
                    {cell?.note && <span className="block text-[12px]">{cell.note}</span>}
                    {cell?.by && <span className="block text-[12px]">says {cell.by}</span>}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
