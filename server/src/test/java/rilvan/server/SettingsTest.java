package rilvan.server;

import static org.assertj.core.api.Assertions.assertThat;

import java.lang.reflect.RecordComponent;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.springframework.boot.context.properties.bind.DefaultValue;

/** Every setting is in the documentation and in the file that is installed, with its default. */
class SettingsTest {

    /** Groups of settings, by what stands before their names. */
    private static final Map<Class<?>, String> GROUPS = Map.of(Settings.class, "rilvan.", Settings.LogHeads.class, "rilvan.log-heads.", Settings.OpenId.class, "rilvan.openid.");

    private static Stream<RecordComponent> components() {
        return GROUPS.keySet().stream().flatMap(group -> Stream.of(group.getRecordComponents())).filter(each -> !each.getType().isRecord());
    }

    private static String name(RecordComponent component) {
        return component.getName().replaceAll("([A-Z])", "-$1").toLowerCase(Locale.ROOT);
    }

    @Test
    void eachIsSaidWithItsDefault() throws Exception {
        String documentation = Files.readString(Path.of("../docs/settings.md"));
        List<String> installed = Files.readAllLines(Path.of("../distribution/conf/application.yaml"));
        assertThat(components()).isNotEmpty().allSatisfy(each -> {
            String name = name(each);
            assertThat(documentation).contains(GROUPS.get(each.getDeclaringRecord()) + name + "`");
            String line = installed.stream().filter(said -> said.matches("[ #]*(.*, )?" + name + "[:,].*")).findFirst().orElseThrow(() -> new AssertionError(name + " is missing"));
            DefaultValue standard = GROUPS.keySet().stream().flatMap(type -> Stream.of(type.getDeclaredConstructors())).flatMap(made -> Stream.of(made.getParameters()))
                    .filter(parameter -> parameter.getName().equals(each.getName())).findFirst().orElseThrow().getAnnotation(DefaultValue.class);
            if (standard != null && !line.strip().startsWith("#")) {
                assertThat(line).contains(name + ": " + standard.value()[0] + " ");
            }
        });
    }
}
