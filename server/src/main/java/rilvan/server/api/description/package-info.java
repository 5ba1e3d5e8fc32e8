/** The description of the interface (OpenAPI 3.1): made from the controllers, their comments and their rules, and from the models in force. */
package rilvan.server.api.description;
