package rilvan.core.dialect;

import com.google.common.base.CharMatcher;
import freemarker.core.InvalidReferenceException;
import freemarker.core.OutputFormat;
import freemarker.core.PlainTextOutputFormat;
import freemarker.core.StopException;
import freemarker.core.TemplateClassResolver;
import freemarker.core.XMLOutputFormat;
import freemarker.core._CoreAPI;
import freemarker.template.Configuration;
import freemarker.template.SimpleObjectWrapper;
import freemarker.template.TemplateException;
import freemarker.template.TemplateExceptionHandler;
import java.io.IOException;
import java.io.StringReader;
import java.io.Writer;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.ScheduledFuture;
import java.util.concurrent.TimeUnit;
import java.util.function.Supplier;
import rilvan.core.document.Digest;
import rilvan.core.document.KnownNames;

/**
 * A clause's native text with gaps. Templates run locked down: they see the clause's values and nothing else, reach no
 * class, no file and no other template, and are stopped when they run or write without end.
 */
public final class Template {

    /** The name under which a template sees the device that it speaks for. */
    static final String DEVICE = "device";

    private static final int LONGEST = 4_000_000;
    private static final long LONGEST_RUN_MILLIS = 2_000;
    private static final Configuration XML = engine(XMLOutputFormat.INSTANCE);
    private static final Configuration LINES = engine(PlainTextOutputFormat.INSTANCE);
    private static final ScheduledExecutorService WATCH = Executors.newSingleThreadScheduledExecutor(task -> {
        Thread thread = new Thread(task, "template-watch");
        thread.setDaemon(true);
        return thread;
    });

    private final freemarker.template.Template template;
    private final boolean lines;
    private final String digest;
    private final boolean seesDevice;

    /** A template that is wrong or was stopped: the message names the template, line and column. */
    public static sealed class TemplateFault extends RuntimeException permits Unsayable {
        TemplateFault(String message) {
            super(message);
        }
    }

    /** The template says of itself that the family cannot say this with these values. */
    public static final class Unsayable extends TemplateFault {
        Unsayable(String message) {
            super(message);
        }
    }

    private Template(freemarker.template.Template template, boolean lines, String text) {
        this.digest = Digest.of(text);
        this.seesDevice = text.contains(DEVICE);
        this.template = template;
        this.lines = lines;
    }

    private static Configuration engine(OutputFormat format) {
        Configuration engine = new Configuration(Configuration.VERSION_2_3_34);
        engine.setNewBuiltinClassResolver(TemplateClassResolver.ALLOWS_NOTHING_RESOLVER);
        engine.setAPIBuiltinEnabled(false);
        engine.setObjectWrapper(new SimpleObjectWrapper(Configuration.VERSION_2_3_34));
        engine.setTemplateExceptionHandler(TemplateExceptionHandler.RETHROW_HANDLER);
        engine.setLogTemplateExceptions(false);
        engine.setOutputFormat(format);
        engine.setNumberFormat("computer");
        engine.setBooleanFormat("c");
        return engine;
    }

    /**
     * Reads a template of XML; every value put into it is escaped as XML text.
     *
     * @throws TemplateFault naming line and column
     */
    public static Template xml(String name, String text) {
        return parse(name, text, false);
    }

    /**
     * Reads a template of command lines; no value put into it may break the line it is in.
     *
     * @throws TemplateFault naming line and column
     */
    public static Template lines(String name, String text) {
        return parse(name, text, true);
    }

    private static Template parse(String name, String text, boolean lines) {
        try {
            freemarker.template.Template template = new freemarker.template.Template(name, new StringReader(text), lines ? LINES : XML);
            _CoreAPI.addThreadInterruptedChecks(template);
            return new Template(template, lines, text);
        } catch (IOException e) {
            throw new TemplateFault(e.getMessage());
        }
    }

    /** What it is called in messages and in the ledger: the family's folder and the file. */
    public String name() {
        return template.getName();
    }

    /** What tells it from any other template. */
    public String digest() {
        return digest;
    }

    /** Whether it may say something else for another device. */
    public boolean seesDevice() {
        return seesDevice;
    }

    private void unbroken(Object value) {
        if (value instanceof Map<?, ?> fields) {
            fields.values().forEach(this::unbroken);
        } else if (value instanceof List<?> items) {
            items.forEach(this::unbroken);
        } else if (value instanceof String text && CharMatcher.javaIsoControl().matchesAnyOf(text)) {
            throw new TemplateFault(template.getName() + ": a value has a line break or another control character in it: '"
                    + text.replaceAll("\\p{Cntrl}", "␤") + "'");
        }
    }

    /**
     * The text for these values.
     *
     * @throws TemplateFault where a value is missing, or the template runs or writes without end
     */
    public String fill(Map<String, Object> values) {
        return watched(() -> fillUnwatched(values, new Bounded()));
    }

    /**
     * The texts of several templates, each for its values.
     *
     * @throws TemplateFault where a value is missing, or they run or write without end
     */
    static List<String> fillAll(List<Template> templates, List<Map<String, Object>> values) {
        return watched(() -> {
            List<String> texts = new ArrayList<>(templates.size());
            Bounded writer = new Bounded();
            for (int i = 0; i < templates.size(); i++) {
                texts.add(templates.get(i).fillUnwatched(values.get(i), writer));
            }
            return texts;
        });
    }

    /** Stops, by an interrupt, what fills templates for too long. */
    private static <T> T watched(Supplier<T> filling) {
        ScheduledFuture<?> watch = WATCH.schedule(Thread.currentThread()::interrupt, LONGEST_RUN_MILLIS, TimeUnit.MILLISECONDS);
        try {
            return filling.get();
        } finally {
            if (!watch.cancel(false)) {
                Thread.interrupted();
            }
        }
    }

    private String fillUnwatched(Map<String, Object> values, Bounded writer) {
        if (lines) {
            unbroken(values);
        }
        writer.text.setLength(0);
        try {
            template.process(values, writer);
            return writer.text.toString();
        } catch (InvalidReferenceException e) {
            String name = e.getBlamedExpressionString();
            throw new TemplateFault(template.getName() + ", line " + e.getLineNumber() + ", column " + e.getColumnNumber() + ": there is no value '" + name + "'; "
                    + KnownNames.instead(name, values.keySet()));
        } catch (StopException e) {
            throw new Unsayable(e.getMessageWithoutStackTop().lines().findFirst().orElse("").replaceFirst("^Template stopped: ?", ""));
        } catch (TemplateException e) {
            throw new TemplateFault(template.getName() + ", line " + e.getLineNumber() + ", column " + e.getColumnNumber() + ": "
                    + e.getMessageWithoutStackTop().lines().findFirst().orElse("failed"));
        } catch (IOException e) {
            throw new TemplateFault(template.getName() + ": " + e.getMessage());
        } catch (StackOverflowError e) {
            throw new TemplateFault(template.getName() + ": calls itself without end");
        } catch (RuntimeException e) {
            if (!Thread.currentThread().isInterrupted()) {
                throw e;
            }
            throw new TemplateFault(template.getName() + ": stopped after " + LONGEST_RUN_MILLIS + " ms");
        }
    }

    /** Text of one template after another; each form of writing has its own way in, since the inherited ones copy. */
    private static final class Bounded extends Writer {

        private final StringBuilder text = new StringBuilder();

        private void reserve(int length) throws IOException {
            if (text.length() + length > LONGEST) {
                throw new IOException("writes more than " + LONGEST + " characters");
            }
        }

        @Override
        public void write(char[] buffer, int offset, int length) throws IOException {
            reserve(length);
            text.append(buffer, offset, length);
        }

        @Override
        public void write(String part, int offset, int length) throws IOException {
            reserve(length);
            text.append(part, offset, offset + length);
        }

        @Override
        public void write(int character) throws IOException {
            reserve(1);
            text.append((char) character);
        }

        @Override
        public void flush() {
            // nothing is held back
        }

        @Override
        public void close() {
            // nothing to release
        }
    }
}
