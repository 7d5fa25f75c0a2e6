/** How the agent of a rig is started, with the token that is shown once. */
export function AgentCommand({ token, fingerprint }: { token: string; fingerprint?: string }) {
  return (
    <code className="num mb-2 block border border-line bg-sheet p-2 break-all">
      ZEROKEEL_TOKEN={token} zerokeel agent --server {window.location.origin}
      {fingerprint && ` --fingerprint ${fingerprint}`}
    </code>
  );
}
