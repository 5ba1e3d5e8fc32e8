package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import java.net.CookieManager;
import java.net.CookiePolicy;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.util.Map;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import rilvan.e2e.IdentityProvider.Lie;

/** People who sign in at an identity provider: what account and roles become of its claims, and what nobody gets in with. */
@Timeout(value = 3, unit = TimeUnit.MINUTES)
class OpenIdTest {

    private static IdentityProvider provider;
    private static Product product;

    @BeforeAll
    static void start() throws Exception {
        provider = new IdentityProvider();
        Map<String, String> settings = new java.util.TreeMap<>(Map.of("RILVAN_OPENID_ISSUER", provider.issuer(), "RILVAN_OPENID_CLIENT_ID", "rilvan", "RILVAN_OPENID_CLIENT_SECRET", IdentityProvider.SECRET,
                "RILVAN_OPENID_LABEL", "Sign in at Skerra"));
        settings.putAll(Map.of("RILVAN_OPENID_GRANTS_0_VALUE", "network-desk", "RILVAN_OPENID_GRANTS_0_ROLES", "look,run", "RILVAN_OPENID_GRANTS_1_VALUE", "clinics-desk", "RILVAN_OPENID_GRANTS_1_ROLES", "look,prepare",
                "RILVAN_OPENID_GRANTS_1_TENANTS", "Tidewater Clinics", "RILVAN_OPENID_GRANTS_2_VALUE", "council-desk", "RILVAN_OPENID_GRANTS_2_ROLES", "look", "RILVAN_OPENID_GRANTS_2_TENANTS", "Skerry Council"));
        settings.putAll(Map.of("RILVAN_OPENID_GRANTS_3_VALUE", "haven-desk", "RILVAN_OPENID_GRANTS_3_ROLES", "look", "RILVAN_OPENID_GRANTS_3_SITES", "Haven"));
        product = new Product("openid", Product.ROOT.resolve("models"), settings);
    }

    @AfterAll
    static void stop() throws Exception {
        product.close();
        provider.close();
    }

    /** A browser, with its own cookies. */
    private static HttpClient browser() {
        return HttpClient.newBuilder().followRedirects(HttpClient.Redirect.NORMAL).cookieHandler(new CookieManager(null, CookiePolicy.ACCEPT_ALL)).build();
    }

    private static HttpResponse<String> get(HttpClient browser, String path) throws Exception {
        return browser.send(HttpRequest.newBuilder(URI.create(product.server() + path)).build(), HttpResponse.BodyHandlers.ofString());
    }

    /** Where a sign-in at the provider ends. */
    private static String ends(HttpClient browser) throws Exception {
        URI end = get(browser, "/openid/start").uri();
        return end.getPath() + (end.getQuery() == null ? "" : "?" + end.getQuery());
    }

    private static JsonObject me(HttpClient browser) throws Exception {
        return JsonParser.object().from(get(browser, "/api/v1/me").body());
    }

    @Test
    void anAccountComesWithTheFirstSignInAndRolesWithEach() throws Exception {
        assertThat(JsonParser.object().from(get(browser(), "/api/v1/sign-in-ways").body()).getString("openid")).isEqualTo("Sign in at Skerra");
        provider.comes("a-1", "anna", "clinics-desk", "council-desk", "choir");
        HttpClient browser = browser();
        assertThat(ends(browser)).isEqualTo("/");
        JsonObject me = me(browser);
        assertThat(me.getString("name")).isEqualTo("anna");
        assertThat(me.getArray("grants").toString()).contains("look", "prepare");
        assertThat(me.getArray("grants").getObject(0).getArray("tenants")).containsExactlyInAnyOrder("Tidewater Clinics", "Skerry Council");
        assertThat(get(browser, "/api/v1/people").statusCode()).isEqualTo(403);

        // Another group: other roles, from this sign-in on.
        provider.comes("a-1", "anna", "network-desk");
        assertThat(ends(browser())).isEqualTo("/");
        assertThat(me(browser).getArray("roles")).containsExactly("look", "run");
        assertThat(product.rilvan("", "people", "list").output()).containsPattern("anna +person +look, run +active +.*the identity provider");
        assertThat(product.rilvan("another long sentence", "people", "password", "anna", "--password-file", "-").output()).contains("anna signs in at " + provider.issuer() + " and has no password here");

        // The name is called otherwise at the provider: it stays the same account, and nobody else who gets the name is let into it.
        provider.comes("a-1", "anna-married", "network-desk");
        HttpClient later = browser();
        assertThat(ends(later)).isEqualTo("/");
        assertThat(me(later).getString("name")).isEqualTo("anna");
        provider.comes("a-2", "anna", "network-desk");
        assertThat(ends(browser())).isEqualTo("/sign-in?refused=name");

        product.rilvan("", "people", "change", "anna", "--no-active");
        assertThat(get(browser, "/api/v1/me").statusCode()).isEqualTo(401);
        provider.comes("a-1", "anna", "network-desk");
        assertThat(ends(browser())).isEqualTo("/sign-in?refused=not-active");
        assertThat(product.rilvan("", "log", "list").output()).containsPattern("anna +127.0.0.1 +sign in +done").containsPattern("anna +127.0.0.1 +sign in +refused: anna may not sign in");
    }

    @Test
    void whoHasNoRoleHereOrAnotherAccountsNameDoesNotComeIn() throws Exception {
        for (Map.Entry<String, String> refused : Map.of("bert", "no-role", "engineer", "name", "no name at all", "name").entrySet()) {
            provider.comes("sub-of-" + refused.getKey(), refused.getKey(), refused.getValue().equals("no-role") ? "choir" : "network-desk");
            HttpClient browser = browser();
            assertThat(ends(browser)).as(refused.getKey()).isEqualTo("/sign-in?refused=" + refused.getValue());
            assertThat(get(browser, "/api/v1/me").statusCode()).isEqualTo(401);
        }
        // Tenants of the one group at the sites of the other are neither's.
        provider.comes("c-1", "clara", "council-desk", "haven-desk");
        assertThat(ends(browser())).isEqualTo("/sign-in?refused=settings");
        assertThat(product.rilvan("", "people", "list").output()).doesNotContain("bert", "clara");
    }

    @Test
    void noAnswerIsTakenThatIsNotTheProvidersToThisBrowser() throws Exception {
        provider.comes("d-1", "dora", "network-desk");
        for (Lie lie : Lie.values()) {
            if (lie != Lie.NONE) {
                provider.lies(lie);
                HttpClient browser = browser();
                assertThat(ends(browser)).as(lie.name()).isEqualTo("/sign-in?refused=failed");
                assertThat(get(browser, "/api/v1/me").statusCode()).as(lie.name()).isEqualTo(401);
            }
        }
        provider.lies(Lie.NONE);
        // A code that somebody else's browser was given, or that has been used.
        HttpClient theirs = HttpClient.newBuilder().cookieHandler(new CookieManager(null, CookiePolicy.ACCEPT_ALL)).build();
        URI atProvider = URI.create(get(theirs, "/openid/start").headers().firstValue("Location").orElseThrow());
        String back = theirs.send(HttpRequest.newBuilder(atProvider).build(), HttpResponse.BodyHandlers.ofString()).headers().firstValue("Location").orElseThrow();
        String answer = URI.create(back).getPath() + "?" + URI.create(back).getQuery();
        assertThat(get(browser(), answer).uri().getQuery()).isEqualTo("refused=failed");
        assertThat(get(theirs, answer.replaceFirst("state=.*", "state=another")).headers().firstValue("Location").orElseThrow()).endsWith("refused=failed");
        assertThat(product.rilvan("", "people", "list").output()).doesNotContain("dora");
        assertThat(ends(browser())).isEqualTo("/");
        product.rilvan("", "people", "remove", "dora");
    }

    /** The provider is asked when somebody signs in there, and by nobody else. */
    @Test
    void aProviderThatIsAwayIsSaidToBe() throws Exception {
        try (Product alone = new Product("openid-away", Product.ROOT.resolve("models"), Map.of("RILVAN_OPENID_ISSUER", "http://127.0.0.1:9", "RILVAN_OPENID_CLIENT_ID", "rilvan",
                "RILVAN_OPENID_CLIENT_SECRET", "x", "RILVAN_OPENID_GRANTS_0_VALUE", "x", "RILVAN_OPENID_GRANTS_0_ROLES", "look"))) {
            HttpResponse<String> started = browser().send(HttpRequest.newBuilder(URI.create(alone.server() + "/openid/start")).build(), HttpResponse.BodyHandlers.ofString());
            assertThat(started.uri().getQuery()).isEqualTo("refused=away");
            assertThat(alone.rilvan("", "people", "me").output()).contains("engineer");
        }
    }
}
