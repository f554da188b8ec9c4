/** Every figure in plain words and in symbols, with its source. */
import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { useLocation } from "react-router";
import { client, got, type Schemas } from "../api/client";
import { Shown } from "../step/Shown";
import { figures as words } from "../words/steps/figures";

type Page = Schemas["Figures"];

function View({ page }: { page: Page }) {
  const { hash } = useLocation();
  const at = hash.slice(1);
  useEffect(() => {
    // The page is drawn after the address was opened, so the browser's own jump came too early.
    const place = at && document.getElementById(at);
    if (!place) return;
    place.scrollIntoView({ block: "start" });
    place.focus({ preventScroll: true });
  }, [at]);
  const parts = [...new Set(page.figures.map((one) => one.part))];
  return (
    <div className="figures">
      <nav aria-label={words.figures}>
        {parts.map((part) => (
          <div key={part}>
            <strong>{part}</strong>
            {page.figures
              .filter((one) => one.part === part)
              .map((one) => (
                <a key={one.id} href={`#${one.id}`} aria-current={one.id === at ? "true" : undefined}>
                  {one.title}
                </a>
              ))}
          </div>
        ))}
      </nav>
      <article>
        <h1>{words.howTheFiguresAreWorked}</h1>
        {/* The text is our own page of documentation, rendered by the server without raw HTML. */}
        {/* biome-ignore lint/security/noDangerouslySetInnerHtml: see above */}
        <div dangerouslySetInnerHTML={{ __html: page.foreword }} />
        {page.figures.map((one) => (
          <section key={one.id} id={one.id} tabIndex={-1} aria-labelledby={`${one.id}-title`}>
            <h2 id={`${one.id}-title`}>{one.title}</h2>
            {/* biome-ignore lint/security/noDangerouslySetInnerHtml: see above */}
            <div dangerouslySetInnerHTML={{ __html: one.html }} />
          </section>
        ))}
      </article>
    </div>
  );
}

export function FiguresPage() {
  const page = useQuery({
    queryKey: ["figures"],
    queryFn: () => got(client.GET("/api/figures")),
    staleTime: Number.POSITIVE_INFINITY,
  });
  return <Shown query={page}>{(data) => <View page={data} />}</Shown>;
}
