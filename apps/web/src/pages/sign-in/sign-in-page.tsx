import { FrontCard } from './front-card';
import { SignInForm } from './sign-in-form';

/** What everybody sees who is not signed in, at whatever address: that one opens afterwards. */
export function SignInPage() {
  return (
    <FrontCard title="Sign in">
      <p className="mb-4 mt-0 text-muted">
        No account yet, or the password is lost? An administrator of your workshop makes you a link.
      </p>
      <SignInForm />
    </FrontCard>
  );
}
