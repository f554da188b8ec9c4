/** A shared link: opens the step and the scope that somebody kept, as far as the reader may see it. */
import { useQuery } from "@tanstack/react-query";
import { Navigate, useParams } from "react-router";
import { client, got } from "../api/client";
import { views as words } from "../words/around/views";

export function OpenView() {
  const { key } = useParams();
  const view = useQuery({
    queryKey: ["view", key],
    queryFn: () => got(client.GET("/api/views/{key}", { params: { path: { key: key ?? "" } } })),
    retry: false,
  });
  if (view.isError) {
    return (
      <div className="empty">
        <h1>{words.thisViewCannotBeOpened}</h1>
        <p role="alert">
          {view.error.message} {words.askWhoeverSentTheLink}
        </p>
      </div>
    );
  }
  if (!view.data) return <p className="quiet">{words.opening}</p>;
  return <Navigate to={`/${view.data.step}?${view.data.query}`} replace />;
}
