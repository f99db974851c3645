declare const htmx: any;
