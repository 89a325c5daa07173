import { useRef, type ReactNode } from 'react';
import { Button } from './controls';

/** A button that lets a person choose one file. */
export function FileButton({
  label,
  accept,
  children,
  onFile,
  ...rest
}: {
  /** Name of the file field. */
  label: string;
  accept: string;
  tone?: 'plain' | 'go';
  disabled?: boolean;
  children: ReactNode;
  onFile(file: File): void;
}) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <input
        ref={input}
        type="file"
        accept={accept}
        className="hidden"
        aria-label={label}
        onChange={(e) => {
          const file = e.target.files?.[0];
          // The same file can be chosen again.
          e.target.value = '';
          if (file) onFile(file);
        }}
      />
      <Button {...rest} onClick={() => input.current?.click()}>
        {children}
      </Button>
    </>
  );
}

/** Endings of files that hold a surface. */
export const SURFACE_FILES = '.stl,.obj,.ply,.off,.glb,.gltf,.3mf,.zip';
