import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { Route, Routes, useNavigate } from 'react-router';
import { useEffect } from 'react';
import { showWithServer } from '../../../test/with-server';
import { InvitationPage } from './invitation-page';

function Opened() {
  const navigate = useNavigate();
  useEffect(() => void navigate('/invitation/t0'), [navigate]);
  return null;
}
const page = (
  <Routes>
    <Route path="/" element={<Opened />} />
    <Route path="/invitation/:token" element={<InvitationPage />} />
  </Routes>
);

test('somebody new chooses name and password, and is told what they may do', async () => {
  const { asked } = showWithServer(page, { 'GET invitations/t0': { role: 'reviewer', name: null } });
  expect(await screen.findByText(/You come in as reviewer: looks at every piece/)).toBeTruthy();
  await userEvent.type(screen.getByLabelText('What others call you'), ' Rosa ');
  await userEvent.type(screen.getByLabelText(/^Password/), 'three short words{Enter}');
  await screen.findByText('There is no such thing.');
  expect(asked.at(-1)).toEqual({
    method: 'POST',
    path: 'invitations/t0',
    body: { name: 'Rosa', password: 'three short words' },
  });
});

test('whoever lost the password chooses another and keeps the name', async () => {
  showWithServer(page, { 'GET invitations/t0': { role: 'technician', name: 'Tom' } });
  expect(await screen.findByRole('heading', { name: 'Welcome back, Tom' })).toBeTruthy();
  expect(screen.queryByLabelText('What others call you')).toBeNull();
});

test('a link that is no longer good says so', async () => {
  showWithServer(page, {});
  expect(await screen.findByRole('alert')).toBeTruthy();
});
