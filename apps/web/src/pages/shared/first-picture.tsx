import { artifactUrl, sharedArtifact } from '../../api/artifact-url';

/** The first of the pictures that were taken of the piece, until its surface is there. */
export function FirstPicture({ token, pictures }: { token: string; pictures: number }) {
  return (
    <div className="pointer-events-none absolute inset-0 flex flex-col items-center justify-center gap-3 bg-[#efe9dd]">
      {pictures > 0 && (
        <div
          role="img"
          aria-label="Picture of the piece"
          className="aspect-square w-[min(70vw,60vh)] bg-cover"
          style={{
            backgroundImage: `url(${artifactUrl(sharedArtifact(token, 'picture'))})`,
            backgroundSize: `${100 * pictures}% 100%`,
          }}
        />
      )}
      <p role="status" className="m-0 text-[#4a4336]">
        Bringing the model …
      </p>
    </div>
  );
}
