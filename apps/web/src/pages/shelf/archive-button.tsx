import { useState } from 'react';
import { useNavigate } from 'react-router';
import { PackageOpen } from 'lucide-react';
import { api } from '../../api/api';
import { useAppDispatch } from '../../app/store';
import { Notice, ProgressBar } from '../../shared/controls';
import { FileButton } from '../../shared/file-button';

/** Brings a piece back from its archive, and goes to it. */
export function ArchiveButton() {
  const [sending, setSending] = useState<number | null>(null);
  const [failed, setFailed] = useState<string | null>(null);
  const navigate = useNavigate();
  const dispatch = useAppDispatch();
  const send = async (file: File): Promise<void> => {
    setFailed(null);
    setSending(0);
    // Seldom wanted: fetched when it is.
    const { uploadArchive } = await import('../../api/upload-scan');
    uploadArchive(file, {
      progress: setSending,
      done: (id) => {
        setSending(null);
        dispatch(api.util.invalidateTags(['Pieces']));
        void navigate(`/pieces/${id}`);
      },
      failed: (message) => {
        setSending(null);
        setFailed(message);
      },
    });
  };
  return (
    <>
      <FileButton
        label="Archive of a piece"
        accept=".zip"
        disabled={sending !== null}
        onFile={(file) => void send(file)}
      >
        <PackageOpen size={16} aria-hidden /> Bring in an archive
      </FileButton>
      {(sending !== null || failed) && (
        <div className="fixed inset-x-0 top-14 z-10 mx-auto w-full max-w-md px-4">
          {sending !== null && <ProgressBar value={sending} label="Sending the archive" />}
          {failed && <Notice tone="error">{failed}</Notice>}
        </div>
      )}
    </>
  );
}
