/**
 * An effect gives back nothing, or the function that undoes it. What a call that is typed `void` really returns is not
 * promised: a browser may give a promise from one that gave nothing, and React would call it on leaving.
 */
import { ESLintUtils } from "@typescript-eslint/utils";
import ts from "typescript";

const EFFECTS = /^use(Layout|Insertion)?Effect$/;

/** Whether every type that a value may have is a function, or `undefined`. */
function isCleanup(checker, type) {
  return (type.isUnion() ? type.types : [type]).every(
    (t) => (t.flags & ts.TypeFlags.Undefined) !== 0 || checker.getSignaturesOfType(t, ts.SignatureKind.Call).length > 0,
  );
}

/** The functions around a node, from the inside out. */
const functionOf = (node) => {
  let at = node.parent;
  while (at && !/Function/.test(at.type)) at = at.parent;
  return at;
};

const isEffect = (f) => {
  const call = f?.parent;
  if (call?.type !== "CallExpression" || call.arguments[0] !== f) return false;
  const name = call.callee.type === "MemberExpression" ? call.callee.property.name : call.callee.name;
  return EFFECTS.test(name ?? "");
};

export default ESLintUtils.RuleCreator.withoutDocs({
  meta: {
    type: "problem",
    schema: [],
    messages: {
      returns: "An effect returns nothing or a function. Put this in braces, so that what it gives is not returned.",
    },
  },
  defaultOptions: [],
  create(context) {
    const services = ESLintUtils.getParserServices(context);
    const checker = services.program.getTypeChecker();
    const check = (node) => {
      if (!isCleanup(checker, services.getTypeAtLocation(node))) context.report({ node, messageId: "returns" });
    };
    return {
      ArrowFunctionExpression(node) {
        if (!isEffect(node)) return;
        if (node.async) context.report({ node, messageId: "returns" });
        else if (node.body.type !== "BlockStatement") check(node.body);
      },
      ReturnStatement(node) {
        if (node.argument && isEffect(functionOf(node))) check(node.argument);
      },
    };
  },
});
