package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatExceptionOfType;

import com.fasterxml.jackson.core.type.TypeReference;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import rilvan.client.ApiClient;
import rilvan.client.ApiException;
import rilvan.client.ApiResponse;
import rilvan.client.api.DeviceApi;
import rilvan.client.api.OrderApi;
import rilvan.client.api.ServiceApi;
import rilvan.client.api.SignInApi;
import rilvan.client.api.TenantApi;
import rilvan.client.model.OrderCheckView;
import rilvan.client.model.OrderDetail;
import rilvan.client.model.OrderDocument;
import rilvan.client.model.PlacedView;
import rilvan.client.model.PreviewView;
import rilvan.client.model.ServiceView;
import rilvan.client.model.SignIn;
import rilvan.client.model.TenantDocument;
import rilvan.client.model.TenantView;
import tools.jackson.dataformat.yaml.YAMLMapper;

/** A day of programs whose client is made from {@code docs/openapi.json}: in Java, and in Python with its standard library. The console is the one in TypeScript. */
@Timeout(value = 5, unit = TimeUnit.MINUTES)
class ClientsTest {

    private static final Path EXAMPLES = Product.ROOT.resolve("models/services/l3vpn/examples");
    private static Product product;

    @BeforeAll
    static void start() throws Exception {
        product = new Product("clients", Product.ROOT.resolve("models"), Map.of("RILVAN_CHECK_TIMEOUT", "4s"));
    }

    @AfterAll
    static void stop() throws Exception {
        product.close();
    }

    @Test
    void aDayInJava() throws Exception {
        ApiClient client = new ApiClient();
        client.updateBaseUri(product.server());
        String token = new SignInApi(client).signInSignIn(new SignIn().user("engineer").password(product.password())).getToken();
        client.setRequestInterceptor(request -> request.header("Authorization", "Bearer " + token));
        assertThat(new SignInApi(client).signInMe().getRoles()).contains("run", "administer");
        assertThat(new DeviceApi(client).deviceDevices("haven", null, 50)).isNotEmpty().allMatch(device -> device.getTrusted() && device.getHeldBy() == null);

        OrderApi orders = new OrderApi(client);
        OrderDocument order = order("tidewater-clinics.yaml");
        ApiResponse<PreviewView> preview = orders.orderPreviewWithHttpInfo(order, null, null, null, null);
        assertThat(preview.getData().getChangesNothing()).isFalse();
        String tag = preview.getHeaders().get("etag").get(0);
        PlacedView placed = orders.orderPlace(order, tag, "a-day-in-java", null, null, null, null, null, null, null, null);
        assertThat(orders.orderPlace(order, tag, "a-day-in-java", null, null, null, null, null, null, null, null).getOrder()).isEqualTo(placed.getOrder());
        OrderDetail detail = ended(orders, placed.getOrder());
        assertThat(detail.getOrder().getState()).isEqualTo("DONE");
        assertThat(detail.getChecks()).isNotEmpty().allMatch(OrderCheckView::getPassed);

        ServiceView service = new ServiceApi(client).serviceService("tidewater-clinics").getService();
        TenantApi tenants = new TenantApi(client);
        ApiResponse<TenantView> tenant = tenants.tenantTenantWithHttpInfo(service.getTenant());
        String seen = tenant.getHeaders().get("etag").get(0);
        tenants.tenantPut(service.getTenant(), new TenantDocument().contact("the night desk").attachments(tenant.getData().getAttachments()), seen, null);
        assertThatExceptionOfType(ApiException.class).isThrownBy(() -> tenants.tenantPut(service.getTenant(), new TenantDocument().contact("the day desk"), seen, null))
                .matches(refused -> refused.getCode() == 412 && refused.getResponseBody().contains("urn:rilvan:problem:changed-meanwhile"));
        assertThat(ended(orders, orders.orderPlace(new OrderDocument().remove(List.of("tidewater-clinics")), null, null, null, null, null, null, null, null, null, null).getOrder()).getOrder().getState()).isEqualTo("DONE");
    }

    private static OrderDocument order(String example) throws Exception {
        Object document = YAMLMapper.builder().build().readValue(Files.readString(EXAMPLES.resolve(example)), Object.class);
        return ApiClient.createDefaultObjectMapper().convertValue(document, new TypeReference<>() {});
    }

    private static OrderDetail ended(OrderApi orders, long id) throws Exception {
        OrderDetail detail = orders.orderOrder(id);
        while (!List.of("DONE", "ROLLED_BACK").contains(detail.getOrder().getState())) {
            TimeUnit.MILLISECONDS.sleep(Product.BETWEEN_LOOKS_MILLIS);
            detail = orders.orderOrder(id);
        }
        return detail;
    }

    @Test
    void aDayInPython() throws Exception {
        ProcessBuilder builder = new ProcessBuilder("python3", Path.of(ClientsTest.class.getResource("/day.py").toURI()).toString(), product.server(), product.run().resolve("engineer.password").toString(),
                EXAMPLES.resolve("northsound-ferries.yaml").toString()).redirectErrorStream(true);
        builder.environment().put("PYTHONPATH", Product.ROOT.resolve("clients/target/python").toString());
        builder.environment().put("PYTHONDONTWRITEBYTECODE", "yes");
        Process day = builder.start();
        String told = new String(day.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
        assertThat(day.waitFor()).as(told).isZero();
        assertThat(told).contains("signed in as engineer", "DONE with", "refused as it should be: 412 urn:rilvan:problem:changed-meanwhile", "refused as it should be: 422 /remove/0", "removed by order");
    }
}
