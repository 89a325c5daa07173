import { artifactUrl, sharedArtifact } from './artifact-url';

test('artifacts of the bench and of shared views are fetched each from its own place', () => {
  expect(artifactUrl('4b1f')).toBe('/api/artifacts/4b1f/data');
  expect(artifactUrl(sharedArtifact('a-Z_9', 'mesh'))).toBe('/api/shared/a-Z_9/data/mesh');
});
