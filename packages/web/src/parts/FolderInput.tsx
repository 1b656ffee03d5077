import { useController, type FieldValues, type UseControllerProps } from "react-hook-form";
import { FolderField, type FolderFieldProps } from "./FolderField";

type FolderInputProps<Values extends FieldValues> = UseControllerProps<Values> &
  Omit<FolderFieldProps, "value" | "onChange" | "field" | "fault">;

/** The path of a folder as a field of a form. */
export function FolderInput<Values extends FieldValues>({ control, name, ...rest }: FolderInputProps<Values>) {
  const { field, fieldState } = useController<Values>({ control, name });
  return (
    <FolderField
      {...rest}
      value={field.value}
      onChange={field.onChange}
      field={field.ref}
      fault={fieldState.error?.message}
    />
  );
}
