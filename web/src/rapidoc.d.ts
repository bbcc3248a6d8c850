declare module 'rapidoc';
