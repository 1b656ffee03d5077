export * from "./waste";
