import { TextRow } from './controls';

/** Asks for a new password, with the rule that the server keeps. */
export function NewPasswordRow({ title }: { title: string }) {
  return (
    <TextRow
      title={title}
      help="At least 8 characters; three or four words that only you put together are best."
      name="password"
      type="password"
      autoComplete="new-password"
      required
      minLength={8}
      maxLength={200}
    />
  );
}
