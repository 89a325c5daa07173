export const browserOptions: { executablePath: string; args: string[] };
