export function compileKernel(): Promise<string>;
export function kernelModule(text: string): string;
