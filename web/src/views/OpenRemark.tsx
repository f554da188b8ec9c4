/** A link from a message: opens what a colleague passed on, for who it was passed on to. */
import { useQuery } from "@tanstack/react-query";
import { Navigate, useParams } from "react-router";
import { client, got } from "../api/client";
import { views as words } from "../words/around/views";

export function OpenRemark() {
  const { key = "" } = useParams();
  const remark = useQuery({
    queryKey: ["remark", key],
    queryFn: () => got(client.POST("/api/remarks/{key}/read", { params: { path: { key: Number(key) } } })),
    retry: false,
  });
  if (remark.isError)
    return (
      <div className="empty">
        <h1>{words.nothingPassedOn}</h1>
        <p role="alert">{remark.error.message}</p>
      </div>
    );
  if (!remark.data) return <p className="quiet">{words.opening}</p>;
  return <Navigate to={remark.data.path} replace />;
}
