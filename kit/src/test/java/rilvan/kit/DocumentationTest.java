package rilvan.kit;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.junit.jupiter.api.DynamicTest;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestFactory;
import org.junit.jupiter.api.io.TempDir;
import rilvan.core.catalog.Catalog;
import rilvan.core.dialect.Dialect;
import rilvan.core.document.Document;
import rilvan.core.document.ValidationFailure;
import rilvan.core.expression.Scope;
import rilvan.core.model.Clause;
import rilvan.core.model.ModelReader;
import rilvan.core.model.ServiceModel;
import rilvan.core.model.Vocabulary;
import rilvan.core.network.NetworkDocument;
import rilvan.core.plan.InMemoryPlanningSource;
import rilvan.core.plan.OrderDocument;
import rilvan.core.plan.Plan;
import rilvan.core.schema.SchemaTable;
import rilvan.core.schema.StatementTable;

/** Every example of the documentation works, and every function has one. */
class DocumentationTest {

    private static final Path DOCS = Path.of("../docs");
    private static final Path MODELS = Path.of("../models");
    private static final Pattern BLOCK = Pattern.compile("```(\\w+) ?(\\w+)? ?(\\S+)?\n(.*?)```\n(?:\n> ([^\n]+))?", Pattern.DOTALL);
    private static final Pattern FUNCTION = Pattern.compile("\\| (\\w+) \\| `([^`]+)` \\| `([^`]+)` \\|");

    @TempDir
    private Path folder;

    private record Block(String what, String name, String text, String said) {}

    private static List<Block> blocks(String page) throws IOException {
        return BLOCK.matcher(Files.readString(DOCS.resolve(page))).results().map(found -> new Block(
                found.group(2) == null ? found.group(1) : found.group(2), found.group(3) == null ? "" : found.group(3), found.group(4),
                found.group(5) == null ? "" : found.group(5))).toList();
    }

    @TestFactory
    Stream<DynamicTest> everyModelPublishesAndWhatIsWrongIsRefusedAsItSays() throws IOException {
        Catalog shipped = Catalog.read(MODELS);
        List<Block> models = blocks("models.md");
        assertThat(models).hasSizeGreaterThanOrEqualTo(4);
        return models.stream().map(block -> DynamicTest.dynamicTest(block.text().lines().findFirst().orElse(""), () -> {
            if (block.what().equals("model")) {
                ServiceModel model = ModelReader.read(block.text(), shipped.vocabulary(), shipped.versions());
                assertThat(model.isComposite() || !model.clauseNames().isEmpty()).isTrue();
            } else {
                assertThat(block.said()).isNotEmpty();
                assertThatThrownBy(() -> ModelReader.read(block.text(), shipped.vocabulary(), shipped.versions())).isInstanceOf(ValidationFailure.class).hasMessage(block.said());
            }
        }));
    }

    @TestFactory
    Stream<DynamicTest> everyFunctionYieldsWhatItSays() throws IOException {
        Matcher function = FUNCTION.matcher(Files.readString(DOCS.resolve("models.md")));
        List<String[]> rows = function.results().map(found -> new String[] {found.group(1), found.group(2), found.group(3)}).toList();
        assertThat(rows.stream().map(row -> row[0])).containsExactlyInAnyOrderElementsOf(Scope.functions());
        return rows.stream().map(row -> DynamicTest.dynamicTest(row[0], () ->
                assertThat(String.valueOf(Scope.of(Map.of()).compile(row[1]).evaluate(name -> Optional.empty()))).isEqualTo(row[2])));
    }

    @Test
    void theDialectItsTemplateAndItsTablesAreRead() throws IOException {
        List<Block> blocks = blocks("dialects.md");
        assertThat(blocks.stream().map(Block::what)).containsExactly("dialect", "clause", "schema", "statements", "named", "secrets", "observation");
        Files.createDirectories(folder.resolve("clauses"));
        Files.writeString(folder.resolve("dialect.yaml"), blocks.get(0).text());
        Files.copy(MODELS.resolve("dialects/brae/statements.table"), folder.resolve("statements.table"));
        Files.copy(MODELS.resolve("dialects/brae/clauses/vrf.txt"), folder.resolve("clauses/vrf.txt"));
        assertThat(Dialect.read(folder).commandLine()).isPresent();
        assertThat(blocks.get(1).text()).isEqualTo(Files.readString(MODELS.resolve("dialects/quern/clauses/static-route.xml")));
        Dialect quern = Catalog.read(MODELS).dialects().get("quern");
        assertThat(quern.say(new Clause("haven-pe1", "static-route", "expand/0", Map.of("vrf", "V", "prefix", "198.51.100.0/26", "via", "192.0.2.1")), Map.of())
                .tree().presentNodes()).hasSize(3);
        assertThat(SchemaTable.parse(blocks.get(2).text()).roots()).containsOnlyKeys("line");
        assertThat(Files.readString(MODELS.resolve("dialects/quern/dialect.yaml")))
                .contains(blocks.get(4).text(), blocks.get(5).text())
                .contains(blocks.get(6).text().lines().skip(1).map(line -> line.replaceFirst(" +#.*", "")).collect(Collectors.joining("\n")));
        assertThat(StatementTable.parse(blocks.get(3).text()).roots()).containsOnlyKeys("port", "table", "part", "route", "wait");
    }

    @Test
    void theFilesOfTheWalkThroughsAreShownAsTheyAre() throws IOException {
        for (String page : List.of("new-service-model.md", "new-device-family.md", "new-clause.md")) {
            List<Block> files = blocks(page);
            assertThat(files).isNotEmpty();
            for (Block file : files) {
                assertThat(file.what()).isEqualTo("file");
                assertThat(file.text()).as(page + ": " + file.name()).isEqualTo(Files.readString(DOCS.resolve(file.name())));
            }
        }
    }

    /** The example of a number that follows another one: a second service gets the next pair. */
    @Test
    void aNumberFollowsAnother() throws IOException {
        Catalog shipped = Catalog.read(MODELS);
        String text = blocks("models.md").stream().map(Block::text).filter(each -> each.startsWith("model: paired\n")).findFirst().orElseThrow();
        Catalog catalog = shipped.withOnly(ModelReader.read(text, shipped.vocabulary(), shipped.versions()));
        InMemoryPlanningSource source = new InMemoryPlanningSource(catalog, NetworkDocument.read(Document.read(Files.readString(MODELS.resolve("demo/network.yaml")))),
                Map.of("haven-pe1", "", "ternsay-pe1", ""));
        for (String number : List.of("2001", "2002")) {
            Plan plan = source.plan(OrderDocument.read(Document.read("services: [{ name: bay-" + number + ", tenant: T, model: paired, parameters: { edges: [haven-pe1, ternsay-pe1] } }]")));
            source.take(plan);
            assertThat(plan.outcomes().get(0).expansion().orElseThrow().clauses().stream().map(clause -> clause.says().get("name"))).containsExactly("bay-" + number + "-" + number, "bay-" + number + "-" + number);
        }
    }

    @Test
    void aModelThatTheKitStartsIsWell() throws IOException {
        Path models = folder.resolve("models");
        Files.createDirectories(models.resolve("services"));
        Scaffold.write(models.resolve("services/my-service"));
        Vocabulary vocabulary = Vocabulary.read(Document.read(Files.readString(MODELS.resolve("vocabulary.yaml"))));
        assertThat(ModelReader.read(Files.readString(models.resolve("services/my-service/model.yaml")), vocabulary, Map.of()).name()).isEqualTo("my-service");
        assertThatThrownBy(() -> Scaffold.write(models.resolve("services/my-service"))).isInstanceOf(ValidationFailure.class).hasMessageContaining("is there already");
        assertThatThrownBy(() -> Scaffold.write(models.resolve("services/My Service"))).isInstanceOf(ValidationFailure.class).hasMessageContaining("is not a name for a model");
    }
}
