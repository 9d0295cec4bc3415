import react from "@vitejs/plugin-react"
import { defineConfig } from "vite"

export default defineConfig({
  plugins: [react()],
  build: {
    rolldownOptions: {
      output: {
        codeSplitting: {
          groups: [
            { name: "react", test: /node_modules[\\/](react|react-dom|react-router|scheduler)[\\/]/ },
            { name: "chakra", test: /node_modules[\\/](@chakra-ui|@emotion|@ark-ui|@zag-js)[\\/]/ },
          ],
        },
      },
    },
  },
})
