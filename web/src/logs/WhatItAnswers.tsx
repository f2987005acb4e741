/** The answer that what was brought in gives, and where to go with it. */
import { Link } from "react-router";
import type { Study } from "../api/client";
import { Answers } from "../parts/Answers";
import { Looks } from "../parts/variants";

export function WhatItAnswers(props: { study: Study }) {
  const { study } = props;
  const names = study.variants.map((variant) => variant.name);
  if (!study.answers.length) return null;
  return (
    <div className="mb-4 border-l-4 border-brass bg-card px-4 py-3">
      <Looks baseline={study.baseline}>
        <Answers answers={study.answers} variants={names} />
      </Looks>
      <p className="mt-1 text-ink-2">against {names[study.baseline]}</p>
      <p className="mt-3 flex gap-3">
        <Link to={`/studies/${study.id}/decide`} className="button">
          See what differs
        </Link>
        <Link to={`/studies/${study.id}/say`} className="button-quiet">
          Write a report
        </Link>
      </p>
    </div>
  );
}
