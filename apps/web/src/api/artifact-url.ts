/** What artifacts are called in a shared view: by the view's token and the place that they take in the piece. */
const SHARED = /^shared\/([\w-]+)\/([a-z]+)$/;

export const sharedArtifact = (token: string, slot: string): string => `shared/${token}/${slot}`;

/** Where the bytes of an artifact are fetched, on the bench and in a shared view. */
export function artifactUrl(id: string): string {
  const shared = SHARED.exec(id);
  return shared ? `/api/shared/${shared[1]}/data/${shared[2]}` : `/api/artifacts/${id}/data`;
}
