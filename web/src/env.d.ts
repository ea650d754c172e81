// For tools that read only TypeScript; vue-tsc sees the components themselves.
declare module '*.vue' {
  import type { DefineComponent } from 'vue'
  const component: DefineComponent
  export default component
}
