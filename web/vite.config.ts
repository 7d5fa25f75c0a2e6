import tailwindcss from '@tailwindcss/vite';
import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

// ./keel dev runs the demo's server on its usual port.
const server = 'http://127.0.0.1:7350';

export default defineConfig({
  plugins: [react(), tailwindcss()],
  server: { proxy: { '/api': server } },
  build: { chunkSizeWarningLimit: 900 },
});
