/** Sign-in at an identity provider (OpenID Connect Core 1.0, the authorization code flow with PKCE, RFC 7636). The flow is the library's; here is what an account becomes of it. */
package rilvan.server.access.openid;
